// Who holds what, and what somebody reaches, as rows to keep.
import type { Schemas } from "./api";
import { csv, save } from "./download";

export function saveHolders(list: Schemas["HolderList"]): void {
  const rows = list.holders.flatMap((h) => h.by.map((by) => [h.principal.kind, h.principal.name, h.title, h.conditional ? "under a condition" : "holds", by.rule.words, by.rule.scope.address, by.through.join(" in ")]));
  const hopeful = list.couldHold.map((h) => [h.principal.kind, h.principal.name, h.title, "could give it to themselves", h.paths.join("; "), "", ""]);
  save(`holders-${list.permission.replaceAll(" ", "-")}.csv`, "text/csv", csv([["kind", "name", "title", "how", "rule", "at", "through"], ...rows, ...hopeful]));
}

export function saveReach(reach: Schemas["Reach"]): void {
  const rows = reach.reached.map((r) => [r.scope.address, r.part, String(r.beneath), String(r.held), String(r.conditional), r.adds.join(", "), r.onTerms.join(", "), r.cuts.join(", "), r.by.map((rule) => rule.words).join("; ")]);
  save(`reach-${reach.principal.name.replaceAll("/", "-")}.csv`, "text/csv", csv([["at", "part", "scopes below", "permissions held", "more under a condition", "added there", "held there under a condition", "cut off there", "by"], ...rows]));
}
