import { beforeEach, expect, test, vi } from "vitest";

// The service's answers, by path and where a page begins.
const answers = new Map<string, unknown>();
const asked: string[] = [];

vi.mock("../src/lib/api", () => ({
  api: {
    GET: (path: string, { params }: { params: { path: { scope: string }; query?: { after?: string } } }) => {
      const key = `${path.split("/").at(-1)} ${params.path.scope} ${params.query?.after ?? ""}`.trim();
      asked.push(key);
      return answers.has(key) ? Promise.resolve(answers.get(key)) : Promise.reject({ status: 404, detail: `there is no ${key}` });
    },
  },
  ask: (answer: Promise<unknown>) => answer,
  asProblem: (caught: unknown) => caught,
}));
vi.mock("../src/lib/session.svelte", () => ({ session: { organisation: "lindenmere" } }));

const { tree } = await import("../src/lib/tree.svelte");

const node = (id: string, parent: string, depth: number, more = false) => ({ id, parent, depth, more, name: id, title: "", address: id, kind: "folder" as const, retired: false });
const top = node("top", "", 0);
const names = () => tree.nodes.map((n) => n.id);

beforeEach(async () => {
  tree.clear();
  answers.clear();
  answers.set("tree lindenmere", { scopes: [top, node("gardens", "top", 1, true), node("science", "top", 1)] });
  await tree.load();
  asked.length = 0;
});

test("the tree is what the service tells, and a refusal empties it", async () => {
  expect(names()).toEqual(["top", "gardens", "science"]);
  expect(tree.problem).toBeNull();
  expect(tree.loading).toBe(false);
  answers.clear();
  await tree.load();
  expect(names()).toEqual([]);
  expect(tree.problem).toMatchObject({ status: 404 });
  expect(tree.loading).toBe(false);
});

test("children are fetched beneath their parent, a page at a time", async () => {
  const gardens = tree.nodes[1]!;
  answers.set("children gardens", { scopes: [node("glasshouses", "gardens", 1)], next: "glasshouses" });
  answers.set("children gardens glasshouses", { scopes: [node("grounds", "gardens", 1)] });
  await tree.addChildren(gardens);
  expect(names()).toEqual(["top", "gardens", "science", "glasshouses"]);
  expect(tree.nodes[3]?.depth).toBe(2);
  expect(tree.nodes[1]?.more).toBe(false);
  expect(tree.rest.get("gardens")).toBe("glasshouses");
  await tree.addChildren(gardens);
  expect(names()).toEqual(["top", "gardens", "science", "glasshouses", "grounds"]);
  expect(tree.rest.has("gardens")).toBe(false);
  expect(asked).toEqual(["children gardens", "children gardens glasshouses"]);
});

test("pages of what is there already are passed over", async () => {
  answers.set("children top", { scopes: [node("gardens", "top", 1)], next: "gardens" });
  answers.set("children top gardens", { scopes: [node("science", "top", 1)], next: "science" });
  answers.set("children top science", { scopes: [node("visitors", "top", 1)] });
  await tree.addChildren(top);
  expect(names()).toEqual(["top", "gardens", "science", "visitors"]);
});

test("the same children are not fetched twice at once", async () => {
  answers.set("children gardens", { scopes: [node("glasshouses", "gardens", 1)] });
  const gardens = tree.nodes[1]!;
  await Promise.all([tree.addChildren(gardens), tree.addChildren(gardens), tree.addChildren(gardens)]);
  expect(asked).toEqual(["children gardens"]);
  expect(names().filter((id) => id === "glasshouses")).toHaveLength(1);
});

test("what cannot be fetched is told and can be tried again", async () => {
  const gardens = tree.nodes[1]!;
  await tree.addChildren(gardens);
  expect(tree.problem).toMatchObject({ detail: "there is no children gardens" });
  expect(names()).toEqual(["top", "gardens", "science"]);
  answers.set("children gardens", { scopes: [node("glasshouses", "gardens", 1)] });
  await tree.addChildren(gardens);
  expect(names()).toContain("glasshouses");
});

test("read anew, the tree forgets how far it had come", async () => {
  answers.set("children gardens", { scopes: [node("glasshouses", "gardens", 1)], next: "glasshouses" });
  await tree.addChildren(tree.nodes[1]!);
  await tree.load();
  expect(names()).toEqual(["top", "gardens", "science"]);
  expect(tree.rest.size).toBe(0);
});
