import { expect, test, vi } from "vitest";

const asked: string[] = [];
let answer: () => Promise<object> = async () => ({ revision: 13 });
vi.mock("../src/lib/api", async (original) => ({
  ...(await original<typeof import("../src/lib/api")>()),
  ask: () => answer(),
  api: { POST: (path: string, of: { params: { path: object } }) => void asked.push(path + JSON.stringify(of.params.path)) },
}));
vi.mock("../src/lib/session.svelte", () => ({ session: { organisation: "lindenmere" } }));
vi.stubGlobal("sessionStorage", { getItem: () => null, setItem: () => undefined, removeItem: () => undefined }); // as in a browser that keeps nothing
const { Review } = await import("../src/lib/review.svelte");
const { undo } = await import("../src/lib/undo.svelte");
type Impact = InstanceType<typeof Review>["impact"];

const problem = { type: "urn:arbora:problem:conflict", title: "Conflict", status: 409, detail: "it is there already" };

test("what was done is said until it is undone by the service", async () => {
  let after = 0;
  undo.offer("alpine-house retired.", 12, () => after++);
  expect(undo.words).toBe("alpine-house retired.");
  await undo.take();
  expect(asked).toEqual(['/organisations/{organisation}/changes/{revision}/undo{"organisation":"lindenmere","revision":"12"}']);
  expect(after).toBe(1);
  expect(undo.words).toBe("");
  expect(undo.busy).toBe(false);
});

test("what cannot be undone is told, and stays offered", async () => {
  answer = () => Promise.reject(problem);
  undo.offer("steward revoked from ines.", 12);
  await undo.take();
  expect(undo.problem?.detail).toBe("it is there already");
  expect(undo.words).toBe("steward revoked from ines.");
  undo.offer("something else.", 13);
  expect(undo.problem).toBeNull();
  undo.close();
  expect(undo.words).toBe("");
});

test("a review keeps the impact it was shown, and takes the one that a refusal tells", async () => {
  const review = new Review();
  const shown = { words: "1 person would gain access.", confirmation: "1.a" } as Impact;
  await review.run(async () => void (review.impact = shown));
  expect(review.problem).toBeNull();
  await review.run(() => Promise.reject(problem));
  expect(review.impact).toBe(shown);
  expect(review.problem?.status).toBe(409);
  const other = { words: "2 people would gain access.", confirmation: "2.b" } as Impact;
  await review.run(() => Promise.reject({ ...problem, status: 412, impact: other }));
  expect(review.impact).toBe(other);
  expect(review.busy).toBe(false);
  await review.run(async () => {});
  expect(review.problem).toBeNull();
});

test("what is thrown and is no problem is told as one", async () => {
  const review = new Review();
  await review.run(() => Promise.reject(new Error("out of paper")));
  expect(review.problem?.detail).toBe("out of paper");
});
