// The tree as the signed-in person sees it, shared by the tree panel and every field that asks for a scope.
import { api, ask, asProblem, type Problem, type ScopeNode } from "./api";
import { session } from "./session.svelte";

class Tree {
  nodes = $state.raw<ScopeNode[]>([]);
  problem = $state.raw<Problem | null>(null);
  loading = $state(false);

  async load() {
    this.loading = true;
    try {
      const tree = await ask(api.GET("/scopes/{scope}/tree", { params: { path: { scope: session.organisation } } }));
      this.nodes = tree.scopes;
      this.problem = null;
    } catch (caught) {
      this.nodes = [];
      this.problem = asProblem(caught);
    } finally {
      this.loading = false;
    }
  }

  // addChildren fetches what a node holds that was too much for the first answer.
  async addChildren(of: ScopeNode) {
    const have = new Set(this.nodes.map((n) => n.id));
    let after: string | undefined;
    do {
      const page = await ask(
        api.GET("/scopes/{scope}/children", { params: { path: { scope: of.id }, query: { after, limit: 500 } } }),
      );
      const fresh = page.scopes.filter((n) => !have.has(n.id)).map((n) => ({ ...n, depth: of.depth + 1 }));
      this.nodes = [...this.nodes.map((n) => (n.id === of.id ? { ...n, more: false } : n)), ...fresh];
      after = page.next;
    } while (after);
  }

  clear() {
    this.nodes = [];
    this.problem = null;
  }
}

export const tree = new Tree();
