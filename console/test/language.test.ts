import { describe, expect, test } from "vitest";
import { isKeyword, isSubject, nameWord, offered, type Vocabulary } from "../src/lib/language";

const known: Vocabulary = {
  groups: ["seed-curators", "network-team"],
  users: ["ines", "yuki", "juno@quaywater"],
  accounts: ["digitising/label-indexer"],
  providers: ["quaywater-sso"],
  roles: ["observer", "content-reader"],
  services: ["labs", "storage"],
  types: ["bucket", "machine"],
  operations: ["fetch", "start"],
  places: ["digitising", "digitising/scans.bucket"],
};

describe("what may stand next in a statement", () => {
  // A line up to the cursor, words that are offered then, and words that are not.
  const lines: [string, string[], string[]][] = [
    ["", ["seed-curators", "staff", "user", "service account", "under", "at"], ["may", "observer"]],
    ["se", ["seed-curators", "service"], ["may"]],
    ["    ", ["seed-curators", "everyone", "under"], ["may"]],
    ["under ", ["here", "digitising", "digitising/scans.bucket"], ["seed-curators", "may"]],
    ["at digi", ["digitising"], ["staff"]],
    ["under digitising: ", ["seed-curators", "user"], ["under", "may"]],
    ["user ", ["ines", "juno@quaywater"], ["seed-curators"]],
    ["user in", ["ines"], ["may"]],
    ["people from ", ["quaywater-sso"], ["ines", "may"]],
    ["service ", ["account", "labs"], ["ines"]],
    ["service account ", ["digitising/label-indexer"], ["labs"]],
    ["user ines, ", ["seed-curators", "user"], ["may", "ines"]],
    ["everyone ", ["may", "may never", "may only", "except"], ["seed-curators"]],
    ["everyone except ", ["seed-curators", "user"], ["may", "under"]],
    ["everyone except seed-curators, ", ["network-team"], ["may"]],
    ["seed-curators may ", ["act as", "do anything", "never", "only", "observe", "fetch"], ["bucket", "observer"]],
    ["seed-curators may never ", ["do anything", "destroy", "fetch"], ["act as", "never", "only"]],
    ["seed-curators may only ", ["observe"], ["act as"]],
    ["seed-curators may act as ", ["observer", "content-reader"], ["observe", "bucket"]],
    ["seed-curators may act as observer, ", ["content-reader"], ["if"]],
    ["seed-curators may act as observer ", ["if", "from", "until"], ["bucket", "content-reader"]],
    ["seed-curators may fetch ", ["bucket", "storage", "data of", "anything", "if", "until"], ["seed-curators", "observer"]],
    ["seed-curators may fetch, ", ["start", "observe"], ["never"]],
    ["seed-curators may observe data of ", ["storage", "bucket"], ["observer"]],
    ["staff may observe storage if ", ["context.hour", "resource.tag.", "claim.", "not"], ["and", "bucket"]],
    ["staff may observe storage if not ", ["context.location"], ["bucket"]],
    ["staff may observe storage if (", ["context.hour"], ["bucket"]],
    ["staff may observe storage if context.location ", ["is", "is not", "in", "starts with"], ["context.hour", "bucket"]],
    ['staff may observe storage if context.location is "north" ', ["and", "or", "from", "until"], ["bucket"]],
    ['staff may observe storage if context.location is "north" and ', ["context.hour", "subject.kind"], ["until"]],
    ["staff may observe storage until ", [], ["bucket", "if"]],
    ["staff may observe storage from 2027-01-01 until ", [], ["bucket"]],
  ];
  test.each(lines)("after %j", (line, there, notThere) => {
    const { words } = offered(line, known);
    for (const word of there) expect(words).toContain(word);
    for (const word of notThere) expect(words).not.toContain(word);
    expect(new Set(words).size, "no word is offered twice").toBe(words.length);
  });

  test("the word being written is replaced, whatever it is made of", () => {
    for (const word of ["", "se", "seed-cur", "juno@quay", "digitising/sc", "request.tag.ca", "Öl"]) {
      expect(offered("user ines, " + word, known).written).toBe(word.length);
    }
  });
});

test("a name that is a word of the language stands in quotes", () => {
  expect(nameWord("seed-curators")).toBe("seed-curators");
  for (const word of ["may", "from", "staff", "public", "user", "with"]) expect(nameWord(word)).toBe(`"${word}"`);
  expect(isKeyword("except")).toBe(true);
  expect(isSubject("except")).toBe(false);
  expect(isSubject("signed-in")).toBe(true);
});
