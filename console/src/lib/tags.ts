// Tags as they are written in a field: KEY=VALUE, separated by commas; a value with a comma in quotation marks.
import type { Problem } from "./api";

const pair = /\s*([^=,"]+?)\s*=\s*(?:"((?:[^"\\]|\\.)*)"|([^,"]*?))\s*(?:,|$)/y;

// read gives the tags of a text, and what of it is none.
function read(text: string): { tags: Record<string, string>; rest: string } {
  const tags: Record<string, string> = {};
  let at = 0;
  while (text.slice(at).trim() !== "") {
    pair.lastIndex = at;
    const found = pair.exec(text);
    if (!found) return { tags, rest: text.slice(at).trim() };
    const [, key = "", quoted, bare = ""] = found;
    tags[key] = quoted === undefined ? bare : quoted.replace(/\\(.)/g, "$1");
    at = pair.lastIndex;
  }
  return { tags, rest: "" };
}

// tagsIn gives the tags that a text says; tagsOut writes them so.
export const tagsIn = (text: string): Record<string, string> => read(text).tags;

export function tagsOut(tags: Record<string, string>): string {
  const written = (value: string) => (/[,"\\]|^\s|\s$/.test(value) ? `"${value.replace(/["\\]/g, "\\$&")}"` : value);
  return Object.entries(tags).map(([key, value]) => `${key}=${written(value)}`).join(", ");
}

// tagsFault says what is wrong with a text; null for nothing.
export function tagsFault(text: string): Problem | null {
  const { rest } = read(text);
  if (!rest) return null;
  return { type: "urn:arbora:problem:invalid", title: "Not a tag", status: 400, field: "tags", detail: `“${rest}” cannot be used as a tag`, next: "write KEY=VALUE, separated by commas, and put a value with a comma in quotation marks" };
}
