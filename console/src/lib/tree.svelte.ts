// The tree as the signed-in person sees it, shared by the tree panel and every field that asks for a scope.
import { SvelteMap } from "svelte/reactivity";
import { api, ask, asProblem, type Problem, type ScopeNode } from "./api";
import { session } from "./session.svelte";

class Tree {
  nodes = $state.raw<ScopeNode[]>([]);
  problem = $state.raw<Problem | null>(null);
  loading = $state(false);
  rest = new SvelteMap<string, string>(); // of nodes whose children were fetched in part: where to go on
  #fetching = new Set<string>();

  async load() {
    this.loading = true;
    try {
      const tree = await ask(api.GET("/scopes/{scope}/tree", { params: { path: { scope: session.organisation } } }));
      this.rest.clear();
      this.nodes = tree.scopes;
      this.problem = null;
    } catch (caught) {
      this.nodes = [];
      this.problem = asProblem(caught);
    } finally {
      this.loading = false;
    }
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
    this.problem = null;
  }
}

export const tree = new Tree();
