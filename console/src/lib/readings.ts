import type { Schemas } from "./api";

type Does = Schemas["DirectoryStep"]["does"];

// counted says how many steps of a kind a reading has.
const words: [Does, (n: number) => string][] = [
  ["comes", (n) => `${n} ${n === 1 ? "comes" : "come"}`],
  ["returns", (n) => `${n} ${n === 1 ? "returns" : "return"}`],
  ["changes", (n) => `${n} changed`],
  ["leaves", (n) => `${n} ${n === 1 ? "leaves" : "leave"}`],
  ["retires", (n) => `${n} retired`],
  ["group comes", (n) => (n === 1 ? "1 new group" : `${n} new groups`)],
  ["group changes", (n) => (n === 1 ? "1 group changed" : `${n} groups changed`)],
  ["group empties", (n) => (n === 1 ? "1 group emptied" : `${n} groups emptied`)],
  ["cannot be read", (n) => (n === 1 ? "1 entry cannot be read" : `${n} entries cannot be read`)],
  ["gets no letter", (n) => (n === 1 ? "1 letter was not sent" : `${n} letters were not sent`)],
];

/** summary says in a line what a reading found and did. */
export function summary(r: Schemas["DirectoryReading"]): string {
  const parts = words.filter(([does]) => r.counts[does]).map(([does, say]) => say(r.counts[does]!));
  return parts.length > 0 ? parts.join(", ") : "nothing has changed";
}

/** worrying tells the kinds of steps that an administrator has to look at. */
export const worrying = (does: Does): boolean => does === "leaves" || does === "retires" || does === "cannot be read" || does === "gets no letter";

/** duration writes minutes as an administrator says them. */
export function duration(minutes: number): string {
  if (minutes % 1440 === 0) return minutes === 1440 ? "day" : `${minutes / 1440} days`;
  if (minutes % 60 === 0) return minutes === 60 ? "hour" : `${minutes / 60} hours`;
  return minutes === 1 ? "minute" : `${minutes} minutes`;
}
