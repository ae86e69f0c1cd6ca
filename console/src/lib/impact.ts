// How grave an impact is, and how that is said on the button that makes the change.
import type { Schemas } from "./api";

type Impact = Schemas["Impact"];

// Weight: danger is what a warning is about, loss what takes access from somebody, gain what only gives it, nothing what does neither.
export type Weight = "danger" | "loss" | "gain" | "nothing";

const loses = (effect: Schemas["Effect"]) => effect.loses.length + effect.mayLose.length > 0;

export function weigh(impact: Impact): Weight {
  if (impact.warnings.length > 0) return "danger";
  if (impact.effects.some(loses)) return "loss";
  return impact.effects.length > 0 || impact.hidden ? "gain" : "nothing";
}

// losers lists who loses something, each once.
export function losers(impact: Impact): string[] {
  return [...new Set(impact.effects.filter(loses).flatMap((effect) => [...effect.principals.map((p) => p.name), ...effect.outsiders]))];
}

// naming names on a button what an act takes away, as in "Revoke: ines loses access".
export function naming(action: string, impact: Impact | null): string {
  const gone = impact ? losers(impact) : [];
  if (gone.length === 0) return action;
  const [first = ""] = gone;
  return gone.length === 1 ? `${action}: ${first.slice(first.lastIndexOf("/") + 1)} loses access` : `${action}: ${gone.length} lose access`;
}
