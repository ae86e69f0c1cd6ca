// What is told once, to keep: copied, or saved as a file of this computer.

export function save(name: string, type: string, text: BlobPart): void {
  const link = document.createElement("a");
  link.href = URL.createObjectURL(new Blob([text], { type }));
  link.download = name;
  link.click();
  URL.revokeObjectURL(link.href);
}

// inert has a spreadsheet take a cell for text: what begins like a formula gets an apostrophe before it.
const inert = (cell: string) => (/^[=+\-@\t\r]/.test(cell) ? "'" + cell : cell);

// csv writes rows as RFC 4180 has it.
export function csv(rows: string[][]): string {
  return rows.map((row) => row.map(inert).map((cell) => (/[",\r\n]/.test(cell) ? `"${cell.replaceAll('"', '""')}"` : cell)).join(",") + "\r\n").join("");
}
