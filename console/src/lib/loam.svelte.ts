// Loam, the stand-in cloud, as it is reached through the service. What it is told and tells is in docs/loam.md.
import { api, ask, asProblem, type Problem, type ScopeNode } from "./api";
import { session } from "./session.svelte";
import { viewing } from "./viewing.svelte";

export type Act = { operation: string; type: string; permission: string; on: boolean; reason?: string; ask?: string };
export type Resource = { id: string; name: string; type: string; title: string; address: string; retired: boolean; state?: string; size?: string; acts: Act[] };
export type Here = { address: string; title: string; kind: string; containers: ScopeNode[]; resources: Resource[]; creatable: Act[]; unlisted: Act[]; more: boolean };
export type Stored = { name: string; mediaType: string; size: number; putAt: string; putBy: string };
export type Entry = { name: string; value: string };
export type Step = { line: string; output?: string; refused?: string };
export type Ran = { as: string; steps: Step[] };
export type Attached = { id: string; type: string; state?: string; range?: string; address?: string };
export type Attributes = { size?: string; network?: string; runsAs?: string; asNamed?: string; machine?: string; range?: string; rules?: string[]; largest?: number; within?: string };
export type Description = { id: string; address: string; type: string; state?: string; attributes: Attributes; addresses?: Record<string, string> };

const root = "/loam/v1";

// places writes an address as part of a path.
const places = (address: string) => address.split("/").map(encodeURIComponent).join("/");

async function send(method: string, path: string, body?: BodyInit, headers: Record<string, string> = {}): Promise<Response> {
  if (viewing.as) headers["View-As"] = viewing.as;
  if (session.me && method !== "GET" && !headers.Authorization) headers["X-CSRF-Token"] = session.me.csrf;
  let response: Response;
  try {
    response = await fetch(root + path, { method, body, headers });
  } catch {
    throw asProblem(new Error("the service does not answer"));
  }
  if (response.ok) return response;
  if (response.status === 401 && !headers.Authorization) session.end();
  throw await response.json().then((told: Problem) => told, asProblem);
}

const json = async <T>(sent: Promise<Response>) => (await (await sent).json()) as T;
const told = (body: unknown) => JSON.stringify(body);
const asJSON = { "Content-Type": "application/json" };

class Loam {
  // there is whether the service knows a Loam.
  there = $state(false);

  async find() {
    this.there = (await ask(api.GET("/status"))).loam;
  }

  here = (at: string) => json<Here>(send("GET", "/here/" + encodeURIComponent(at)));
  act = <T = Description>(at: string, operation: string, input: object = {}) => json<T>(send("POST", `/resources/${encodeURIComponent(at)}/${operation}`, told(input), { ...asJSON }));
  create = (input: object) => json<Description>(send("POST", "/resources", told(input), { ...asJSON }));

  objects = async (bucket: string) => (await json<{ objects: Stored[] }>(send("GET", "/objects/" + places(bucket)))).objects;
  fetch = async (object: string) => (await send("GET", "/objects/" + places(object))).blob();
  put = (object: string, file: File) => send("PUT", "/objects/" + places(object), file, { "Content-Type": file.type || "application/octet-stream" });
  erase = (object: string) => send("DELETE", "/objects/" + places(object));
  publicAddress = (object: string) => location.origin + root + "/objects/" + places(object);
  appPage = (app: string) => root + "/apps/" + encodeURIComponent(app);

  // database carries out an operation by a connection made for it.
  async database<T>(at: string, operation: string, input: object = {}): Promise<T> {
    const connection = await this.act<{ token: string }>(at, "connect");
    return json<T>(send("POST", `/resources/${encodeURIComponent(at)}/${operation}`, told(input), { ...asJSON, Authorization: "Bearer " + connection.token }));
  }
}

export const loam = new Loam();
