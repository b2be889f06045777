/**
 * Lines of a trail, kept small until they are printed: a million people make
 * ten million lines, most of which differ in nothing but person and instants.
 * A line is two instants and two numbers; its words are kept once.
 */
import type { TrailLine } from '../person/world.ts';
import { instantText } from '../time/instant.ts';

const BLOCK = 1 << 16;

interface Block {
  at: Float64Array;
  until: Float64Array;
  place: Uint32Array;
  words: Uint32Array;
}

/** Stands for the instant in the words of a line; no text of a document contains it once it is JSON. */
const INSTANT = '\u0000';

export class Lines {
  private blocks: Block[] = [];
  private size = 0;
  private sorted = true;
  private lastAt = -Infinity;
  private lastPlace = 0;
  private known = new Map<string, number>();
  private words: string[] = [];

  get length(): number {
    return this.size;
  }

  add(line: TrailLine, place: number): void {
    const i = this.size++;
    let block = this.blocks[i >> 16];
    if (!block) {
      block = {
        at: new Float64Array(BLOCK),
        until: new Float64Array(BLOCK),
        place: new Uint32Array(BLOCK),
        words: new Uint32Array(BLOCK)
      };
      this.blocks.push(block);
    }
    const j = i & (BLOCK - 1);
    const { until } = line.detail;
    const detail = typeof until === 'string' ? { ...line.detail, until: INSTANT } : line.detail;
    const words = JSON.stringify({ journey: line.journey, step: line.step, what: line.what, ...detail }).slice(1);
    let number = this.known.get(words);
    if (number === undefined) {
      number = this.words.length;
      this.words.push(words);
      this.known.set(words, number);
    }
    block.at[j] = line.at;
    block.until[j] = typeof until === 'string' ? Date.parse(until) : NaN;
    block.place[j] = place;
    block.words[j] = number;
    this.sorted &&= line.at > this.lastAt || (line.at === this.lastAt && place >= this.lastPlace);
    this.lastAt = line.at;
    this.lastPlace = place;
  }

  /** Gives the text of all lines in their order, in pieces of a few hundred kilobytes. `ids` are the people's, by place. */
  *text(ids: readonly string[]): Generator<string> {
    const order = this.sorted ? null : this.order();
    let out = '';
    let at = NaN;
    let atText = '';
    for (let n = 0; n < this.size; n++) {
      const i = order ? (order[n] ?? 0) : n;
      const block = this.blocks[i >> 16];
      if (!block) break;
      const j = i & (BLOCK - 1);
      const here = block.at[j] ?? 0;
      if (here !== at) {
        at = here;
        atText = instantText(at);
      }
      let words = this.words[block.words[j] ?? 0] ?? '';
      const until = block.until[j] ?? NaN;
      if (!Number.isNaN(until)) words = words.replace('\\u0000', instantText(until));
      out += `{"at":"${atText}","person":${JSON.stringify(ids[block.place[j] ?? 0])},${words}\n`;
      if (out.length > 300_000) {
        yield out;
        out = '';
      }
    }
    if (out) yield out;
  }

  /** Sorted by instant; people were worked through in their order, so a stable sort keeps theirs. Radix, 16 bits at a time. */
  private order(): Uint32Array {
    let least = Infinity;
    let most = -Infinity;
    for (let i = 0; i < this.size; i++) {
      const at = this.atOf(i);
      if (at < least) least = at;
      if (at > most) most = at;
    }
    let from = new Uint32Array(this.size);
    for (let i = 0; i < this.size; i++) from[i] = i;
    let to = new Uint32Array(this.size);
    for (let scale = 1; scale <= most - least; scale *= BLOCK) {
      const starts = new Uint32Array(BLOCK + 1);
      const digit = (i: number): number => Math.floor((this.atOf(i) - least) / scale) % BLOCK;
      for (let n = 0; n < this.size; n++) {
        const d = digit(from[n] ?? 0) + 1;
        starts[d] = (starts[d] ?? 0) + 1;
      }
      for (let d = 1; d <= BLOCK; d++) starts[d] = (starts[d] ?? 0) + (starts[d - 1] ?? 0);
      for (let n = 0; n < this.size; n++) {
        const i = from[n] ?? 0;
        const d = digit(i);
        to[starts[d] ?? 0] = i;
        starts[d] = (starts[d] ?? 0) + 1;
      }
      [from, to] = [to, from];
    }
    return from;
  }

  private atOf(i: number): number {
    return this.blocks[i >> 16]?.at[i & (BLOCK - 1)] ?? 0;
  }
}
