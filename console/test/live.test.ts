import { expect, test, vi } from "vitest";

vi.stubGlobal("sessionStorage", { getItem: () => null, setItem: () => undefined, removeItem: () => undefined });
vi.stubGlobal("document", { addEventListener: () => undefined, hidden: true });
const { concerns } = await import("../src/lib/live.svelte");

const news = { revision: 12, kinds: ["grant"], places: ["lindenmere/gardens"] };

test.each([
  { name: "something that shows everything", news, shown: {}, is: true },
  { name: "another kind", news, shown: { kinds: ["user"] }, is: false },
  { name: "its kind", news, shown: { kinds: ["user", "grant"] }, is: true },
  { name: "the place itself", news, shown: { near: "lindenmere/gardens" }, is: true },
  { name: "above it", news, shown: { near: "lindenmere" }, is: true },
  { name: "beneath it", news, shown: { near: "lindenmere/gardens/grounds" }, is: true },
  { name: "beside it", news, shown: { near: "lindenmere/gardens-two" }, is: false },
  { name: "what belongs to the organisation as a whole", news: { revision: 12, kinds: ["group"] }, shown: { near: "lindenmere/science" }, is: true },
  { name: "what is not told", news: { revision: 12, beyond: true }, shown: { kinds: ["user"], near: "lindenmere/science" }, is: true },
  { name: "one's own access", news: { ...news, mine: true }, shown: { kinds: ["user"] }, is: true },
  { name: "nothing at all", news: { revision: 12 }, shown: { kinds: ["user"] }, is: false },
])("what changed concerns $name: $is", ({ news, shown, is }) => {
  expect(concerns(news, shown)).toBe(is);
});
