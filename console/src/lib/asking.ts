// A question that a page asks as what it shows changes. An answer that comes after something else was asked is left aside.
import { asProblem, type Problem } from "./api";

// typing is how long somebody who types has paused before what they typed is asked about, in milliseconds.
export const typing = 250;

// asking asks, after a pause if one is given, and hands on the answer or what went wrong. It returns what calls it off, for an effect.
export function asking<T>(ask: () => Promise<T>, took: (answer: T) => void, failed: (problem: Problem) => void, pause = 0): () => void {
  let late = false;
  const run = () =>
    void ask().then(
      (answer) => {
        if (!late) took(answer);
      },
      (caught) => {
        if (!late) failed(asProblem(caught));
      },
    );
  const waiting = pause > 0 ? setTimeout(run, pause) : run(); // at once, what is read to ask belongs to the effect
  return () => {
    late = true;
    clearTimeout(waiting ?? undefined);
  };
}
