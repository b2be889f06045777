/** A binary heap of people by the instant at which they next have something to do; at one instant, in their order. */
export class Heap {
  private ats: number[] = [];
  private places: number[] = [];

  push(at: number, place: number): void {
    let i = this.ats.length;
    while (i > 0) {
      const up = (i - 1) >> 1;
      if (this.before(this.ats[up] ?? 0, this.places[up] ?? 0, at, place)) break;
      this.set(i, this.ats[up] ?? 0, this.places[up] ?? 0);
      i = up;
    }
    this.set(i, at, place);
  }

  /** The first of all; `null` where there is none. */
  pop(): { at: number; place: number } | null {
    const [at] = this.ats;
    const [place] = this.places;
    if (at === undefined || place === undefined) return null;
    const lastAt = this.ats.pop() ?? 0;
    const lastPlace = this.places.pop() ?? 0;
    const size = this.ats.length;
    if (size) {
      let i = 0;
      for (;;) {
        let child = 2 * i + 1;
        if (child >= size) break;
        if (
          child + 1 < size &&
          this.before(
            this.ats[child + 1] ?? 0,
            this.places[child + 1] ?? 0,
            this.ats[child] ?? 0,
            this.places[child] ?? 0
          )
        )
          child++;
        if (this.before(lastAt, lastPlace, this.ats[child] ?? 0, this.places[child] ?? 0)) break;
        this.set(i, this.ats[child] ?? 0, this.places[child] ?? 0);
        i = child;
      }
      this.set(i, lastAt, lastPlace);
    }
    return { at, place };
  }

  private before(at: number, place: number, otherAt: number, otherPlace: number): boolean {
    return at < otherAt || (at === otherAt && place < otherPlace);
  }

  private set(i: number, at: number, place: number): void {
    this.ats[i] = at;
    this.places[i] = place;
  }
}
