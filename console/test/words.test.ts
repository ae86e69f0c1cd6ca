import { expect, test } from "vitest";
import { csv } from "../src/lib/download";
import { capital, count, href, part, terms } from "../src/lib/words";

test("numbers go with their words", () => {
  expect(count(0, "scope")).toBe("0 scopes");
  expect(count(1, "scope")).toBe("1 scope");
  expect(count(2, "person", "people")).toBe("2 people");
  expect(capital("élan")).toBe("Élan");
  expect(capital("")).toBe("");
});

test("how far something holds is said", () => {
  expect(part("whole", 0)).toBe("");
  expect(part("whole", 3)).toBe(" and 3 scopes below");
  expect(part("alone", 3)).toBe(" alone");
  expect(part("beneath", 3)).toBe(", below it alone");
});

test("the terms of a grant are said in order, and nothing where there are none", () => {
  expect(terms({})).toBe("");
  expect(terms({ condition: "context.hour < 6" })).toBe("if context.hour < 6");
  expect(terms({ condition: "context.hour < 6", from: "2027-01-01T00:00:00Z", until: "2027-03-31T12:00:00Z" })).toMatch(/^if context\.hour < 6 from .*2027.* until .*2027/);
});


test("addresses of pages hold whatever a name is made of", () => {
  expect(href.scope("lindenmere/gardens/log.bucket")).toBe("#/tree/lindenmere/gardens/log.bucket");
  expect(href.scope("a b/c#d")).toBe("#/tree/a%20b/c%23d");
  expect(href.guest("wren@meadowside.example")).toBe("#/guests/wren%40meadowside.example");
  expect(href.account("lindenmere/science/indexer")).toBe("#/service-accounts/lindenmere/science/indexer");
  expect(href.principal({ kind: "group", name: "curators" })).toBe("#/groups/curators");
  expect(href.principal({ kind: "set", name: "public" }), "a built-in set has no page").toBe("");
  const grant = new URLSearchParams(href.grant("lindenmere", "observer", { kind: "user", name: "bram" }).split("?")[1]);
  expect(Object.fromEntries(grant)).toEqual({ grant: "observer", user: "bram" });
  const check = new URLSearchParams(href.check({ user: "bram", may: "edit bucket", at: "lindenmere/a&b" }).split("?")[1]);
  expect(check.get("at")).toBe("lindenmere/a&b");
});

test("rows are written as RFC 4180 has it", () => {
  expect(csv([["a", "b"], ["1", "2"]])).toBe("a,b\r\n1,2\r\n");
  expect(csv([['say "so"', "a,b", "two\nlines", "", " "]])).toBe('"say ""so""","a,b","two\nlines",, \r\n');
  expect(csv([])).toBe("");
});
