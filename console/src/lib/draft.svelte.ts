// What is being written in a form, beside what was read: what somebody else alters meanwhile is neither lost nor written over
// unseen.

export type Texts = Record<string, string>;

export class Draft<T extends Texts> {
  mine: T = $state({} as T);
  read: T = $state.raw({} as T);
  theirs: Partial<T> = $state.raw({}); // what others wrote where something else is written here

  constructor(now: T) {
    this.begin(now);
  }

  // begin writes on what is there, and leaves what was written before.
  begin(now: T) {
    this.mine = { ...now };
    this.read = now;
    this.theirs = {};
  }

  // altered lists what is to be written.
  get altered(): (keyof T & string)[] {
    return Object.keys(this.read).filter((key) => this.mine[key] !== this.read[key]);
  }

  get disputed(): (keyof T & string)[] {
    return Object.keys(this.theirs);
  }

  // kept is what a window keeps of it, to go on with later; nothing while nothing is altered.
  get kept(): { mine: T; read: T } | null {
    return this.altered.length > 0 ? { mine: { ...this.mine }, read: this.read } : null;
  }

  // resume goes on with what was kept, beside what is there by now.
  resume(kept: { mine: T; read: T } | null) {
    const now = this.read;
    this.begin(now);
    if (!kept) return;
    [this.mine, this.read] = [{ ...kept.mine }, kept.read];
    this.meet(now);
  }

  // meet takes in what is there by now: where nothing was altered here it is taken over, elsewhere it is kept beside.
  meet(now: T) {
    const theirs: Partial<T> = {};
    for (const key of Object.keys(now) as (keyof T)[]) {
      if (this.mine[key] === this.read[key]) this.mine[key] = now[key];
      else if (now[key] !== this.read[key] && now[key] !== this.mine[key]) theirs[key] = now[key];
      else if (key in this.theirs && now[key] !== this.mine[key]) theirs[key] = now[key];
    }
    this.read = now;
    this.theirs = theirs;
  }

  // take has what others wrote in place of what was written here.
  take() {
    Object.assign(this.mine, this.theirs);
    this.theirs = {};
  }

  // keep goes on with what was written here, knowing theirs.
  keep() {
    this.theirs = {};
  }
}
