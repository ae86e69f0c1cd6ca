// The tree as the signed-in person sees it, shared by the tree panel and every field that asks for a scope.
import { SvelteMap, SvelteSet } from "svelte/reactivity";
import { api, ask, asProblem, type Problem, type ScopeNode } from "./api";
import { session } from "./session.svelte";

class Tree {
  nodes = $state.raw<ScopeNode[]>([]);
  problem = $state.raw<Problem | null>(null);
  loading = $state(false);
  rest = new SvelteMap<string, string>(); // of nodes whose children were fetched in part: where to go on
  open = new SvelteSet<string>(); // the nodes whose children are shown, by id
  filter = $state(""); // what the tree is narrowed by
  #begun = false; // whether it was decided what is open at first
  #fetching = new Set<string>();

  async load() {
    this.loading = true;
    try {
      const tree = await ask(api.GET("/scopes/{scope}/tree", { params: { path: { scope: session.organisation } } }));
      this.rest.clear();
      this.nodes = tree.scopes;
      this.#begin();
      this.problem = null;
    } catch (caught) {
      this.nodes = [];
      this.problem = asProblem(caught);
    } finally {
      this.loading = false;
    }
  }

  // At first the two levels at the top are open; a tree that fits a screen is open whole. From then on it stays as the person has it.
  #begin() {
    if (this.#begun) return;
    this.#begun = true;
    const fits = 25;
    for (const node of this.nodes) if (node.depth < 2 || this.nodes.length <= fits) this.open.add(node.id);
  }

  // show opens what leads to a scope.
  show(address: string) {
    for (const node of this.nodes) if (address.startsWith(node.address + "/")) this.open.add(node.id);
  }

  // addChildren fetches a page of what a node holds and the tree does not yet; how far it has come stands in rest.
  async addChildren(of: ScopeNode) {
    if (this.#fetching.has(of.id)) return;
    this.#fetching.add(of.id);
    try {
      const have = new Set(this.nodes.map((n) => n.id));
      let fresh: ScopeNode[] = [];
      let after = this.rest.get(of.id);
      do {
        const page = await ask(api.GET("/scopes/{scope}/children", { params: { path: { scope: of.id }, query: { after, limit: 500 } } }));
        fresh = page.scopes.filter((n) => !have.has(n.id)).map((n) => ({ ...n, depth: of.depth + 1 }));
        after = page.next;
      } while (fresh.length === 0 && after); // what came with the whole tree is passed over
      if (after) this.rest.set(of.id, after);
      else this.rest.delete(of.id);
      this.nodes = [...this.nodes.map((n) => (n.id === of.id ? { ...n, more: false } : n)), ...fresh];
    } catch (caught) {
      this.problem = asProblem(caught);
    } finally {
      this.#fetching.delete(of.id);
    }
  }

  clear() {
    this.nodes = [];
    this.rest.clear();
    this.open.clear();
    this.filter = "";
    this.#begun = false;
    this.problem = null;
  }
}

export const tree = new Tree();
