// A change that a dialog shows the impact of and then makes, by the same request.
import { confirming, type Schemas } from "./api";
import { undo } from "./undo.svelte";

type Impact = Schemas["Impact"] | null;
type Send = (query: { preview: boolean }, header: ReturnType<typeof confirming>) => Promise<Pick<Schemas["Written"], "impact" | "revision">>;

// sending returns what ChangeDialog needs: how to ask for the impact, and how to make the change. Told says what was done, in words that
// are taken before it is done; done is called after.
export function sending(send: Send, told: () => string, done: () => void) {
  return {
    async preview(): Promise<Impact> {
      return (await send({ preview: true }, confirming(null))).impact ?? null;
    },
    async make(impact: Impact): Promise<void> {
      const words = told();
      const { revision } = await send({ preview: false }, confirming(impact));
      done();
      undo.offer(words, revision);
    },
  };
}
