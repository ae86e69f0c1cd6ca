// The client of Arbora's API, typed from the contract.
import createClient from "openapi-fetch";
import { untrack } from "svelte";
import { acted } from "./acts";
import type { components, paths } from "./api.gen";
import { proof } from "./proof.svelte";
import { service } from "./service.svelte";
import { session } from "./session.svelte";
import { viewing } from "./viewing.svelte";

export type Schemas = components["schemas"];
export type Problem = Schemas["Problem"];
export type Grant = Schemas["Grant"];
export type Scope = Schemas["Scope"];
export type ScopeNode = Schemas["ScopeNode"];
export type Role = Schemas["Role"];
export type Answer = Schemas["Answer"];
export type PrincipalRef = Schemas["PrincipalRef"];

// send sends a request at once: a page asks before it is drawn, and is answered while that goes on. What takes a fresh proof, or was asked
// after the session had ended, waits until the proof was given or the person has signed in again, and is then asked again.
async function send(request: Request): Promise<Response> {
  const [as, me] = untrack(() => [viewing.as, session.me]); // whatever asks is not to ask again when they change
  if (as) request.headers.set("View-As", as);
  if (me && request.method !== "GET") request.headers.set("X-CSRF-Token", me.csrf);
  const again = request.clone();
  let response = await fetch(request);
  if (response.status === 401 && session.me && !toldByForm(again)) {
    if (await session.lapse((await problemOf(response))?.detail ?? "")) {
      again.headers.set("X-CSRF-Token", session.me.csrf);
      response = await fetch(again);
    }
  } else if (response.status === 403 && again.method !== "GET") {
    const problem = await problemOf(response);
    if (problem?.type === "urn:arbora:problem:proof-needed" && (await proof.ask(problem.detail))) response = await fetch(again);
  }
  if (response.ok) acted(again);
  return response;
}

async function problemOf(response: Response): Promise<Problem | undefined> {
  const problem: unknown = await response.clone().json();
  return isProblem(problem) ? problem : undefined;
}

export const api = createClient<paths>({ baseUrl: "/api/v1", fetch: send });

// A wrong password at sign-in, and a code that is missing, are told by the form that asks for them.
function toldByForm(request: Request): boolean {
  return request.method === "POST" && /^\/api\/v1\/(session|links|profile\/second-factor)/.test(new URL(request.url).pathname);
}

const unreachable: Problem = {
  type: "urn:arbora:problem:unreachable",
  title: "No answer",
  status: 0,
  detail: "the service does not answer",
  next: "it is tried again automatically; what you wrote stays here",
};

// ask awaits an answer; what goes wrong is thrown as a Problem.
export async function ask<T>(asked: Promise<{ data?: T; error?: unknown; response: Response }>): Promise<T> {
  let answer;
  try {
    answer = await asked;
  } catch {
    service.lost();
    throw unreachable;
  }
  if (answer.response.ok) return answer.data as T;
  if (isProblem(answer.error)) throw answer.error;
  service.lost();
  throw unreachable;
}

function isProblem(value: unknown): value is Problem {
  return typeof value === "object" && value !== null && "detail" in value && "status" in value;
}

// asProblem turns whatever was caught into a Problem to show.
export function asProblem(caught: unknown): Problem {
  if (isProblem(caught)) return caught;
  return { ...unreachable, detail: caught instanceof Error ? caught.message : String(caught), next: "reload the page" };
}

// confirming has a change made only if its impact is still the one that was shown.
export function confirming(impact: Schemas["Impact"] | null): { "If-Match"?: string } {
  return impact ? { "If-Match": `"${impact.confirmation}"` } : {};
}

// isOutdated reports whether an edit failed since what it alters is another by now than it was read as.
export function isOutdated(caught: unknown): boolean {
  const problem = asProblem(caught);
  return problem.type === "urn:arbora:problem:outdated" && !problem.impact;
}

// heeding awaits an edit; where what it alters is another by now, the form takes that in before the edit fails.
export async function heeding<T>(edit: Promise<T>, takeIn: () => Promise<void>): Promise<T> {
  try {
    return await edit;
  } catch (caught) {
    if (isOutdated(caught)) await takeIn();
    throw caught;
  }
}

// signOut ends the session, here in any case: one that the service no longer knows has ended there already.
export async function signOut(): Promise<void> {
  // A session that began at a provider ends there, too, where the provider has a place for it.
  const there = session.me?.provider ? await ask(api.GET("/session/provider")).catch(() => null) : null;
  await ask(api.DELETE("/session")).catch(() => undefined);
  session.end();
  if (there?.address) location.assign(there.address);
}
