// How much of a long list is drawn: what fits a window at once, and the rest once that is on the screen.

const atFirst = 14;

export class Drawing {
  rows = $state(atFirst);

  // there says whether there is something to draw.
  constructor(there: () => boolean) {
    $effect(() => {
      if (!there() || this.rows !== atFirst) return;
      // The first frame shows the beginning, the second begins after it was painted.
      requestAnimationFrame(() => requestAnimationFrame(() => (this.rows = Infinity)));
    });
  }
}
