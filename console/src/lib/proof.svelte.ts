// A fresh proof of who one is: what gives lasting access away takes the password or a passkey once more. Whatever request needs
// one waits for it, and is then made again.
type Wanted = { detail: string; settle: (proved: boolean) => void };

class Proof {
  wanted = $state.raw<Wanted | null>(null);

  // ask has the dialog ask for a proof, and tells whether one was given.
  ask(detail: string): Promise<boolean> {
    this.wanted?.settle(false);
    return new Promise((settle) => (this.wanted = { detail, settle }));
  }

  end(proved: boolean) {
    this.wanted?.settle(proved);
    this.wanted = null;
  }
}

export const proof = new Proof();
