import { describe, expect, it } from "vitest";
import { fitting, settled } from "../src/lib/choices";

const roles = [
  { value: "steward", hint: "Steward", words: ["admin", "owner"] },
  { value: "observer", hint: "Observer", words: ["view", "read only"] },
  { value: "storage-observer", hint: "Storage observer", words: ["view", "read only"] },
  { value: "builder", note: "Create, change, run and retire everything, but view no access." },
];
const values = (typed: string) => fitting(roles, typed).map((option) => option.value);

describe("what a field offers", () => {
  it("is everything before something is typed", () => expect(values(" ")).toHaveLength(4));
  it("begins with what is meant by its name", () => expect(values("obs")).toEqual(["observer", "storage-observer"]));
  it("finds a role by what people call it", () => expect(values("View")).toEqual(["observer", "storage-observer", "builder"]));
  it("finds a scope by its last name before one that holds the letters elsewhere", () =>
    expect(fitting([{ value: "lindenmere/greenseeds" }, { value: "lindenmere/seeds" }], "seeds")[0]?.value).toBe("lindenmere/seeds"));
  it("is nothing where nothing fits", () => expect(values("zeppelin")).toEqual([]));
});

describe("what is typed whole", () => {
  it("leaves nothing to choose", () => expect(settled(roles, "observer")).toBe(true));
  it("does while another goes on from it", () => expect(settled([{ value: "seed" }, { value: "seeds" }], "seed")).toBe(false));
});
