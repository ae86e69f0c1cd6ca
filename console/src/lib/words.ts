// How things are written for people.

import type { Schemas } from "./api";

// Making one of these costs milliseconds, so each is made once.
const moments = new Intl.DateTimeFormat("en-GB", { dateStyle: "medium", timeStyle: "short" });
const days = new Intl.DateTimeFormat("en-GB", { dateStyle: "full" });
const daysOfYear = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", timeZone: "UTC" });
const times = new Intl.DateTimeFormat("en-GB", { timeStyle: "short" });
const numbers = new Intl.NumberFormat("en");

export function moment(text: string): string {
  return moments.format(new Date(text));
}

// day writes the day of a moment in full, time the rest of it.
export const day = (text: string) => days.format(new Date(text));
export const time = (text: string) => times.format(new Date(text));

// dayOfYear writes a day without its year, as it is called in UTC.
export const dayOfYear = (text: string) => daysOfYear.format(new Date(text));

// localMoment writes a moment as a field of date and time has it, in this machine's time zone; empty for none.
export function localMoment(text: string | undefined): string {
  if (!text) return "";
  const at = new Date(text);
  return new Date(at.getTime() - at.getTimezoneOffset() * 60_000).toISOString().slice(0, 16);
}

// momentOf reads what such a field has; nothing for an empty one.
export function momentOf(local: string): string | undefined {
  return local ? new Date(local).toISOString() : undefined;
}

export function count(n: number, one: string, many = one + "s"): string {
  return `${thousands(n)} ${n === 1 ? one : many}`;
}

// of counts what is shown of a list: "3 of 12 groups" where some are left out.
export function of(shown: number, all: number, one: string, many = one + "s"): string {
  return shown === all ? count(all, one, many) : `${thousands(shown)} of ${count(all, one, many)}`;
}

export function capital(text: string): string {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

// nameFrom makes of a text the nearest thing that can be a name: lower-case letters, digits and hyphens.
export function nameFrom(text: string): string {
  return text.normalize("NFD").toLowerCase().replace(/[\u0300-\u036f]/g, "").replace(/[^a-z0-9-]+/g, "-").replace(/^-+|-+$/g, "");
}

// terms writes the condition and the period of a grant.
export function terms(g: { condition?: string; from?: string; until?: string }): string {
  return [g.condition && "if " + g.condition, g.from && "from " + moment(g.from), g.until && "until " + moment(g.until)].filter(Boolean).join(" ");
}

// part says how far of a scope and what is beneath it something holds.
export function part(p: "whole" | "alone" | "beneath", beneath: number): string {
  if (p === "alone") return " alone";
  if (p === "beneath") return ", below it alone";
  return beneath > 0 ? ` and ${count(beneath, "scope")} below` : "";
}

// href gives the address of a page in the console.
export const href = {
  scope: (address: string) => "#/tree/" + address.split("/").map(encodeURIComponent).join("/"),
  search: (asked: Record<string, string>) => "#/search?" + new URLSearchParams(asked).toString(),
  loam: (address: string) => "#/loam/" + address.split("/").map(encodeURIComponent).join("/"),
  user: (name: string) => "#/people/" + encodeURIComponent(name),
  guest: (name: string) => "#/guests/" + encodeURIComponent(name),
  outside: (name: string) => "#/outside/" + encodeURIComponent(name),
  provider: (name: string) => "#/providers/" + encodeURIComponent(name),
  outsideGroups: (provider: string) => "#/outside-groups?" + new URLSearchParams({ provider }).toString(),
  outsideGroup: (name: string, provider: string) => "#/people?" + new URLSearchParams({ kind: "outside-person", outsideGroup: `${name}@${provider}` }).toString(),
  account: (address: string) => "#/service-accounts/" + address.split("/").map(encodeURIComponent).join("/"),
  group: (name: string) => "#/groups/" + encodeURIComponent(name),
  role: (name: string) => "#/roles/" + encodeURIComponent(name),
  policy: (id: string) => "#/policies/" + encodeURIComponent(id),
  newPolicy: (at: string) => "#/policies/new?" + new URLSearchParams({ at }).toString(),
  principal: (p: { kind: string; name: string }) => {
    const pages: Record<string, (name: string) => string> = { user: href.user, guest: href.guest, "outside-person": href.outside, group: href.group, "service-account": href.account, provider: href.provider };
    return pages[p.kind]?.(p.name) ?? "";
  },
  grant: (at: string, role: string, who: { kind: string; name: string }) =>
    href.scope(at) + "?" + new URLSearchParams({ grant: role, [who.kind]: who.name }).toString(),
  check: (asked: Record<string, string>) => "#/check?" + new URLSearchParams(asked).toString(),
};

// quotas are what keepers bound of an organisation.
export const quotas = [
  { key: "scopes", words: "Scopes" },
  { key: "principals", words: "Users, guests, outside people and service accounts" },
  { key: "groups", words: "Groups" },
  { key: "grants", words: "Grants" },
  { key: "statements", words: "Statements of all policies" },
  { key: "streams", words: "Open streams of one principal" },
  { key: "writes", words: "Changes of one principal in a minute" },
] as const;

// thousands writes a number with its thousands apart; nothing for none.
export function thousands(n: number | undefined): string {
  return n === undefined ? "" : numbers.format(n);
}

// What a user signs in with.
export const signInWays: Record<Schemas["SignInBy"], string> = { password: "password", key: "API key only", both: "password and API key" };
