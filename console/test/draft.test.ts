import { expect, test } from "vitest";
import { Draft } from "../src/lib/draft.svelte";

const read = { name: "alpine", title: "Alpine house", about: "" };

test("what was altered is known, and only that", () => {
  const draft = new Draft(read);
  expect(draft.altered).toEqual([]);
  draft.mine.title = "The Alpine house";
  draft.mine.about = "Scree and troughs";
  expect(draft.altered).toEqual(["title", "about"]);
  draft.mine.about = "";
  expect(draft.altered).toEqual(["title"]);
  expect(read.title).toBe("Alpine house");
});

test("what others alter is taken over where nothing is written here", () => {
  const draft = new Draft(read);
  draft.mine.title = "Mine";
  draft.meet({ ...read, about: "Theirs" });
  expect(draft.mine).toEqual({ name: "alpine", title: "Mine", about: "Theirs" });
  expect(draft.disputed).toEqual([]);
  expect(draft.altered).toEqual(["title"]);
});

test("what both alter is disputed until one is chosen", () => {
  for (const [choose, is, altered] of [
    [(d: Draft<typeof read>) => d.take(), "Theirs", []],
    [(d: Draft<typeof read>) => d.keep(), "Mine", ["title"]],
  ] as const) {
    const draft = new Draft(read);
    draft.mine.title = "Mine";
    draft.meet({ ...read, title: "Theirs" });
    expect(draft.disputed).toEqual(["title"]);
    expect(draft.theirs.title).toBe("Theirs");
    expect(draft.mine.title).toBe("Mine");
    expect(draft.read.title).toBe("Theirs");
    choose(draft);
    expect(draft.disputed).toEqual([]);
    expect(draft.mine.title).toBe(is);
    expect(draft.altered).toEqual(altered);
  }
});

test("a dispute stays while they write on elsewhere, and ends when both write the same", () => {
  const draft = new Draft(read);
  draft.mine.title = "Mine";
  draft.meet({ ...read, title: "Theirs" });
  draft.meet({ ...read, title: "Theirs", about: "More" });
  expect(draft.disputed).toEqual(["title"]);
  expect(draft.mine.about).toBe("More");
  draft.meet({ ...read, title: "Mine" });
  expect(draft.disputed).toEqual([]);
  expect(draft.altered).toEqual([]);
});

test("after a choice the same is not asked again, but another change is", () => {
  const draft = new Draft(read);
  draft.mine.title = "Mine";
  draft.meet({ ...read, title: "Theirs" });
  draft.keep();
  draft.meet({ ...read, title: "Theirs" });
  expect(draft.disputed).toEqual([]);
  draft.meet({ ...read, title: "Theirs again" });
  expect(draft.disputed).toEqual(["title"]);
});

test("beginning anew leaves what was written and disputed", () => {
  const draft = new Draft(read);
  draft.mine.title = "Mine";
  draft.meet({ ...read, title: "Theirs" });
  draft.begin({ ...read, title: "Saved" });
  expect(draft.mine.title).toBe("Saved");
  expect(draft.altered).toEqual([]);
  expect(draft.disputed).toEqual([]);
});
