// The words that statements are made of, and what may stand where in one.
import { classes } from "./matrix";

export const sets = ["everyone", "staff", "guests", "signed-in", "public"];
const keywords = ["may", "never", "only", "except", "act", "as", "do", "anything", "if", "from", "until", "under", "at", "here", "data", "of", "to", "and", "or", "not", "is", "in", "with", "before", "after", "starts", "within"];
const subjects = [...sets, "people", "user", "service", "account"];

export const isKeyword = (word: string) => keywords.includes(word);
export const isSubject = (word: string) => subjects.includes(word);

// nameWord writes a name as a statement has it: one that is a word of the language stands in quotes.
export const nameWord = (name: string) => (isKeyword(name) || isSubject(name) ? `"${name}"` : name);

// Vocabulary is what can be named in the statements of a policy, as far as the signed-in person may list it.
export type Vocabulary = { groups: string[]; users: string[]; accounts: string[]; providers: string[]; roles: string[]; services: string[]; types: string[]; operations: string[]; places: string[] };

const conditions = ["context.hour", "context.weekday", "context.time", "context.ip", "context.location", "resource.name", "resource.type", "resource.tag.", "subject.name", "subject.kind", "subject.tag.", "claim."];
const terms = ["if", "from", "until"];

// offered gives the words that may come next after what stands before the cursor on its line, and how much of it the word
// being written takes up.
export function offered(line: string, known: Vocabulary): { words: string[]; written: number } {
  const written = /[\p{L}\d_./@+-]*$/u.exec(line)?.[0].length ?? 0;
  const before = line.slice(0, line.length - written);
  return { words: next(before, known), written };
}

function next(before: string, known: Vocabulary): string[] {
  const after = (pattern: RegExp) => pattern.test(before);
  const acts = [...classes, ...known.operations];
  if (after(/^\s*(under|at)\s+$/)) return ["here", ...known.places];
  if (after(/\bservice\s+account\s+$/)) return known.accounts;
  if (after(/\bservice\s+$/)) return ["account", ...known.services];
  if (after(/\buser\s+$/)) return known.users;
  if (after(/\bpeople\s+from\s+$/)) return known.providers;
  if (after(/\b(from|until|is|before|after|within)\s+(not\s+)?$/)) return []; // a moment, a text or a number is the writer's own
  if (after(/\bif\b/)) return after(/\b(if|and|or|not)\s+\(?$/) ? [...conditions, "not"] : ["and", "or", "is", "is not", "in", "starts with", "within", ...terms.slice(1)];
  if (after(/\bact\s+as\s+([\w-]+\s*,\s*)*$/)) return known.roles;
  if (after(/\bact\s+as\b/)) return terms;
  if (after(/\bmay\s+$/)) return ["act as", "do anything", "never", "only", ...acts];
  if (after(/\bmay\s+(only|never)\s+$/)) return ["do anything", ...acts];
  if (after(/\bmay\b/)) return [...known.types, ...known.services, ...acts, "anything", "data of", ...terms];
  if (after(/(^|[:,]|\bexcept)\s*$/)) return [...known.groups, ...sets, "user", "service", "service account", "people from", ...(after(/^\s*$/) ? ["under", "at"] : [])];
  return ["may", "may never", "may only", "except"];
}
