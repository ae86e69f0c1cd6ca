// What was signed in with last: the name in this browser, so that it need not be typed each day.
const key = "signed-in-as";

let password = "";

export const remembered = {
  // The temporary password that was signed in with, until another is chosen in its place; never written down.
  get password(): string {
    return password;
  },
  set password(given: string) {
    password = given;
  },
  // The organisation to which somebody signed in by a provider last.
  get organisation(): string {
    return localStorage.getItem(key + "-to") ?? "";
  },
  set organisation(name: string) {
    localStorage.setItem(key + "-to", name);
  },
  get name(): string {
    return localStorage.getItem(key) ?? "";
  },
  set name(name: string) {
    localStorage.setItem(key, name);
  },
};
