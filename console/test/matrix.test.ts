import { describe, expect, test } from "vitest";
import { heldInWords, inWords, rowsAsCSV, tallies, type Column } from "../src/lib/matrix";

const permission = (operation: string, of: string, plane: "control" | "data" = "control") => ({ operation, type: "bucket", service: "storage", class: of, plane }) as Column["permissions"][number];
const column = {
  name: "bucket",
  permissions: [permission("list", "observe"), permission("describe", "observe"), permission("edit", "modify"), permission("retire", "destroy"), permission("fetch", "observe", "data")],
} as Column;

describe("a cell", () => {
  test("counts what is held of each class, plane by plane", () => {
    const control = tallies(column, "ymyn-", "control");
    expect(control.map((t) => t.class)).toEqual(["observe", "operate", "modify", "destroy", "govern"]);
    expect(control.find((t) => t.class === "observe")).toEqual({ class: "observe", held: 1, maybe: 1, all: 2 });
    expect(control.find((t) => t.class === "modify")).toEqual({ class: "modify", held: 1, maybe: 0, all: 1 });
    expect(control.find((t) => t.class === "destroy")).toEqual({ class: "destroy", held: 0, maybe: 0, all: 1 });
    expect(tallies(column, "nnnny", "data").find((t) => t.class === "observe")).toEqual({ class: "observe", held: 1, maybe: 0, all: 1 });
  });

  test.each([
    ["nnnnn", "nothing"],
    ["yyynn", "all observe, all modify"],
    ["ynnnn", "some observe"],
    ["mnnnn", "conditionally observe"],
    ["nnnny", "all observe of data"],
    ["yynyy", "all observe, all destroy, all observe of data"],
    ["", "nothing"],
  ])("%j is said as %j", (cell, words) => expect(inWords(column, cell)).toBe(words));
});

test("a matrix is written with a line for each class of which anything is held", () => {
  const matrix = {
    columns: [column],
    rows: [
      { principal: { kind: "user", name: "ines" }, cells: ["yynnm"] },
      { principal: { kind: "group", name: "curators" }, cells: ["nnnnn"] },
      { principal: { kind: "user", name: "yuki" }, cells: [] },
    ],
  } as unknown as Parameters<typeof rowsAsCSV>[0];
  expect(rowsAsCSV(matrix)).toEqual([
    ["Kind", "Name", "Column", "Plane", "Class", "Held", "Under a condition", "Of"],
    ["user", "ines", "bucket", "control", "observe", "2", "0", "2"],
    ["user", "ines", "bucket", "data", "observe", "0", "1", "1"],
  ]);
});

test("what one may do somewhere is said by class, plane and condition", () => {
  const held = (of: string, plane: "control" | "data" = "control", conditional = false) => ({ class: of, plane, conditional }) as Parameters<typeof heldInWords>[0][number];
  expect(heldInWords([])).toBe("nothing");
  expect(heldInWords([held("modify"), held("observe")])).toBe("observe, modify");
  expect(heldInWords([held("observe"), held("observe", "data")])).toBe("observe; data: observe");
  expect(heldInWords([held("govern"), held("modify", "control", true), held("observe", "data", true)])).toBe("govern; under a condition modify; data: observe");
  expect(heldInWords([held("observe", "data", true)])).toBe("under a condition data: observe");
});
