// What a list shows and how it is asked for: see parts/List.svelte.
import type { Option } from "./choices";

export type Column<T> = {
  key: string; // also the service's word for ordering by it
  word: string;
  value: (item: T) => string; // as it is exported, and shown unless the page draws it
  sorts?: boolean; // the service can order by it
  spare?: boolean; // shown only when chosen
  number?: boolean;
};

// A filter has options, or names to choose from, or is typed.
// A filter that goes with another is there only where that one has a value, or where it has one itself.
export type Filter = { key: string; label: string; options?: { value: string; word: string }[]; names?: () => Promise<Option[]>; placeholder?: string; with?: [key: string, value: string] };

export type Question = { find?: string; sort?: string; descending?: boolean; after?: string; limit: number };

// A part of a list. Found counts what was asked for, all what there is.
export type Part<T> = { items: T[]; next?: string; found: number; all: number };

// whole reads all parts of what is asked for.
export async function whole<T>(read: (after: string | undefined) => Promise<Part<T>>): Promise<T[]> {
  const items: T[] = [];
  let after: string | undefined;
  do {
    const part = await read(after);
    items.push(...part.items);
    after = part.next;
  } while (after);
  return items;
}

// chosenColumns remembers in this browser which columns of a list somebody wants to see.
export const chosenColumns = {
  read(list: string): string[] | null {
    const kept = localStorage.getItem("columns of " + list);
    return kept === null ? null : kept.split(" ");
  },
  write(list: string, keys: string[]) {
    localStorage.setItem("columns of " + list, keys.join(" "));
  },
};

export const states: { value: string; word: string }[] = ["active", "pending", "suspended", "retired"].map((state) => ({ value: state, word: state }));

export const spans: { value: string; word: string }[] = [
  { value: "week", word: "within 7 days" },
  { value: "month", word: "8 to 30 days ago" },
  { value: "quarter", word: "31 to 90 days ago" },
  { value: "longer", word: "longer ago" },
  { value: "never", word: "never" },
];
