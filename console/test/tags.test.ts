import { expect, test } from "vitest";
import { tagsFault, tagsIn, tagsOut } from "../src/lib/tags";

test("tags are read as they are written", () => {
  expect(tagsIn("")).toEqual({});
  expect(tagsIn("  ")).toEqual({});
  expect(tagsIn("care=high, team = seeds")).toEqual({ care: "high", team: "seeds" });
  expect(tagsIn("label=a=b")).toEqual({ label: "a=b" });
  expect(tagsIn("floor=")).toEqual({ floor: "" });
  expect(tagsIn("care=high,")).toEqual({ care: "high" });
  expect(tagsIn('label="north, upper", care=high')).toEqual({ label: "north, upper", care: "high" });
  expect(tagsIn('label="a \\"quoted\\" word"')).toEqual({ label: 'a "quoted" word' });
});

test("what is no tag is told, and not passed over", () => {
  for (const good of ["", "care=high", "care=high, team=seeds", "floor=", 'label="a, b"']) expect(tagsFault(good)).toBeNull();
  for (const [text, rest] of [
    ["care", "care"],
    ["care=high, team", "team"],
    ["=high", "=high"],
    ['label="a, b', 'label="a, b'],
    ['label="a" b', 'label="a" b'],
    ["a=b,,c=d", ",c=d"],
  ] as const) {
    expect(tagsFault(text)?.detail).toBe(`“${rest}” cannot be used as a tag`);
    expect(tagsFault(text)?.field).toBe("tags");
  }
});

test("whatever a value holds is read back", () => {
  for (const value of ["high", "", "a, b", 'say "yes"', "back\\slash", " spaced ", "a=b", ",", '"', "x, y=z", "ünïcödé 🌿"]) {
    const tags = { first: "one", label: value, last: "two" };
    expect(tagsFault(tagsOut(tags))).toBeNull();
    expect(tagsIn(tagsOut(tags))).toEqual(tags);
  }
  expect(tagsOut({})).toBe("");
  expect(tagsOut({ care: "high", team: "seeds" })).toBe("care=high, team=seeds");
});
