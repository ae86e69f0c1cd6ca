import { expect, test } from "vitest";
import { csv } from "../src/lib/download";

test("spreadsheets take cells for text", () => {
  for (const cell of ["=1+1", "+1", "-1", "@sum", "\t=1"]) expect(csv([[cell, "plain"]])).toBe(`'${cell},plain\r\n`);
  expect(csv([["\r=1"]])).toBe(`"'\r=1"\r\n`);
  expect(csv([["a, b", 'say "no"', "1\n2"]])).toBe('"a, b","say ""no""","1\n2"\r\n');
});
