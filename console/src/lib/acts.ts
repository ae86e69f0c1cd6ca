// What this window has the service do. Whoever shows something about the last act hears when another one was done.
type Listener = () => void;
const listeners: Listener[] = [];

export function whenActed(listener: Listener) {
  listeners.push(listener);
}

// These are sent as acts are, and do nothing.
const questions = /\/(reading|writing|ranking|check|holders|options|proof)$|\/patterns\/[^/]+$/;

// acted tells of a request that the service carried out, if it did something.
export function acted(request: Request) {
  const { pathname, searchParams } = new URL(request.url);
  if (request.method === "GET" || searchParams.has("preview") || questions.test(pathname)) return;
  for (const listener of listeners) listener();
}
