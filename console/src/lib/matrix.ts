// The cells of an access matrix: how much of each class of act is held, for each plane.
import type { Schemas } from "./api";

export const classes = ["observe", "operate", "modify", "destroy", "govern"] as const;
export type Class = (typeof classes)[number];
export type Plane = "control" | "data";
export type Tally = { class: Class; held: number; maybe: number; all: number };
export type Column = Schemas["MatrixColumn"];

// tallies counts, for each class, the permissions of a plane in a cell.
export function tallies(column: Column, cell: string, plane: Plane): Tally[] {
  const counted = classes.map((c) => ({ class: c, held: 0, maybe: 0, all: 0 }));
  column.permissions.forEach((p, i) => {
    const tally = counted.find((t) => t.class === p.class);
    if (!tally || p.plane !== plane) return;
    tally.all++;
    if (cell[i] === "y") tally.held++;
    if (cell[i] === "m") tally.maybe++;
  });
  return counted;
}

// inWords says what a cell shows, for those who do not see it.
export function inWords(column: Column, cell: string): string {
  const parts = (["control", "data"] as const).flatMap((plane) =>
    tallies(column, cell, plane)
      .filter((t) => t.held + t.maybe > 0)
      .map((t) => `${t.held === t.all ? "all" : t.held === 0 ? "conditionally" : "some"} ${t.class}${plane === "data" ? " of data" : ""}`),
  );
  return parts.length > 0 ? parts.join(", ") : "nothing";
}

// rowsAsCSV writes a line for each principal, column, plane and class of which anything is held.
export function rowsAsCSV(matrix: Schemas["Matrix"]): string[][] {
  const rows = [["Kind", "Name", "Column", "Plane", "Class", "Held", "Under a condition", "Of"]];
  for (const row of matrix.rows) {
    matrix.columns.forEach((column, i) => {
      for (const plane of ["control", "data"] as const) {
        for (const t of tallies(column, row.cells[i] ?? "", plane)) {
          if (t.held + t.maybe > 0) rows.push([row.principal.kind, row.principal.name, column.name, plane, t.class, String(t.held), String(t.maybe), String(t.all)]);
        }
      }
    });
  }
  return rows;
}

// heldInWords says what classes of act are held: of the thing itself, of what is in it, and what hangs on a condition.
export function heldInWords(holds: Schemas["HeldClass"][]): string {
  const of = (plane: Plane, conditional: boolean) => {
    const names = classes.filter((c) => holds.some((h) => h.class === c && h.plane === plane && h.conditional === conditional)).join(", ");
    return names && plane === "data" ? "data: " + names : names;
  };
  const parts = (conditional: boolean) => [of("control", conditional), of("data", conditional)].filter(Boolean).join("; ");
  return [parts(false), parts(true) && "under a condition " + parts(true)].filter(Boolean).join("; ") || "nothing";
}
