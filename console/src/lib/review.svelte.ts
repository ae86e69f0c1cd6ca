// A change that is reviewed on its page before it is made: the impact that was shown and for what, and what went wrong.
import { asProblem, type Problem, type Schemas } from "./api";

export class Review {
  impact = $state.raw<Schemas["Impact"] | null>(null);
  shown = $state(""); // what the impact was worked out for
  problem = $state.raw<Problem | null>(null);
  busy = $state(false);

  // run does a job. What goes wrong is shown, with the impact as it is now where others changed it meanwhile.
  async run(job: () => Promise<void>) {
    this.busy = true;
    this.problem = null;
    try {
      await job();
    } catch (caught) {
      this.problem = asProblem(caught);
      this.impact = this.problem.impact ?? this.impact;
    } finally {
      this.busy = false;
    }
  }
}
