/**
 * walks: steps per second of people walking in memory through the core (advance, the order of things, records and
 * trail), against a bare loop in plain JavaScript: a heap of due walks and a switch over the kinds, the same steps in the
 * same order, and the same lines pushed.
 */
import { FORMAT, type Journey } from '../core/journey/schema.ts';
import { newPerson } from '../core/person/state.ts';
import { replayInto, type PeopleSource } from '../core/replay/replay.ts';
import type { TimedInput } from '../core/replay/happenings.ts';
import { median, type Benchmark } from './row.ts';

const START = Date.parse('2027-03-01T09:00:00Z');
const DAY = 86_400_000;
const PEOPLE = 60_000;
const ROUNDS = 3;

const journey: Journey = {
  format: FORMAT,
  key: 'walks',
  entry: { on: [{ happening: 'tag_added', tag: 'in' }] },
  hours: { from: '08:00', to: '20:00' },
  lane: [
    { key: 'thanks', kind: 'email', subject: 'Thank you', text: 'See you' },
    { key: 'w1', kind: 'wait', for: 'P2D' },
    {
      key: 'heard',
      kind: 'listen',
      for: [
        {
          label: 'opened',
          when: { happening: 'opened', of: 'thanks' },
          lane: [{ key: 'keen', kind: 'tag', add: ['keen'] }]
        }
      ],
      limit: 'P3D',
      otherwise: { label: 'not', lane: [{ key: 'p1', kind: 'score', score: 'interest', add: -1 }] }
    },
    { key: 'w2', kind: 'wait', for: 'P1D' },
    {
      key: 'ask',
      kind: 'branch',
      by: 'rules',
      lanes: [
        {
          label: 'keen',
          when: { tag: 'keen' },
          lane: [{ key: 'again', kind: 'email', subject: 'Again', text: 'Come again' }]
        }
      ],
      otherwise: { label: 'others', lane: [{ key: 'off', kind: 'tag', add: ['quiet'] }] }
    },
    { key: 'p2', kind: 'score', score: 'interest', add: 5 }
  ]
};
/** Steps each person takes: all of the main lane, and one on each of two lanes. */
const STEPS = 8;

const opens = (i: number): boolean => i % 2 === 0;

/** One after another, as the command reads them: whoever has lived their life is let go. */
const people: PeopleSource = {
  each(take) {
    for (let i = 0; i < PEOPLE; i++) {
      const person = newPerson(`p${i}`);
      person.fields.set('email', `p${i}@people.example`);
      person.consent = { email: 'given' };
      take(person, i);
    }
  }
};

const inputs: TimedInput[] = [
  ...Array.from({ length: PEOPLE }, (_, i): TimedInput => ({
    at: START + (i % 3600) * 1000,
    person: `p${i}`,
    line: i,
    input: { kind: 'set', addTags: ['in'] }
  })),
  ...Array.from({ length: PEOPLE }, (_, i) => i)
    .filter(opens)
    .map((i): TimedInput => ({
      at: START + DAY + (i % 3600) * 1000,
      person: `p${i}`,
      line: PEOPLE + i,
      of: { step: 'thanks' },
      input: { kind: 'happening', happening: { name: 'opened', at: START + DAY + (i % 3600) * 1000 } }
    }))
].sort((a, b) => a.at - b.at);

function ours(): { ms: number; lines: number } {
  let lines = 0;
  const begun = performance.now();
  replayInto({ journeys: [journey], people, inputs, from: START, until: START + 30 * DAY }, () => void lines++);
  return { ms: performance.now() - begun, lines };
}

interface Due {
  due: number;
  i: number;
}

/** A heap of due walks, as plain as can be. */
class BareHeap {
  private items: Due[] = [];

  push(item: Due): void {
    let n = this.items.push(item) - 1;
    while (n > 0) {
      const up = (n - 1) >> 1;
      const above = this.items[up];
      if (!above || above.due <= item.due) break;
      this.items[n] = above;
      n = up;
    }
    this.items[n] = item;
  }

  pop(): Due | undefined {
    const { items } = this;
    const first = items[0];
    const last = items.pop();
    if (!last || !items.length) return first;
    let n = 0;
    for (;;) {
      let child = 2 * n + 1;
      const left = items[child];
      if (!left) break;
      const right = items[child + 1];
      let least = left;
      if (right && right.due < left.due) {
        child++;
        least = right;
      }
      if (least.due >= last.due) break;
      items[n] = least;
      n = child;
    }
    items[n] = last;
    return first;
  }
}

interface BarePerson {
  tags: Set<string>;
  points: number;
  opened: boolean;
  step: number;
}

/** The bare loop. */
function reference(): { ms: number; lines: number } {
  const crowd = Array.from({ length: PEOPLE }, (): BarePerson => ({
    tags: new Set(),
    points: 0,
    opened: false,
    step: 0
  }));
  const trail: { at: number; person: number; step: string; what: string }[] = [];
  const heap = new BareHeap();
  const begun = performance.now();
  for (let i = 0; i < PEOPLE; i++) heap.push({ due: START + (i % 3600) * 1000, i });
  for (let next = heap.pop(); next; next = heap.pop()) {
    const { due: at, i } = next;
    const person = crowd[i];
    if (!person) break;
    const say = (step: string, what: string): void => void trail.push({ at, person: i, step, what });
    for (let standing = false; !standing;) {
      switch (person.step++) {
        case 0:
          say('', 'entered');
          say('thanks', 'sent');
          break;
        case 1:
          say('w1', 'waiting');
          heap.push({ due: at + 2 * DAY, i });
          standing = true;
          break;
        case 2:
          if (opens(i)) person.opened = true;
          if (person.opened) say('heard', 'took');
          else {
            say('heard', 'waiting');
            heap.push({ due: at + 3 * DAY, i });
            standing = true;
          }
          break;
        case 3:
          if (person.opened) person.tags.add('keen');
          else person.points--;
          say(person.opened ? 'keen' : 'p1', 'changed');
          break;
        case 4:
          say('w2', 'waiting');
          heap.push({ due: at + DAY, i });
          standing = true;
          break;
        case 5:
          say('ask', 'took');
          break;
        case 6:
          if (!person.tags.has('keen')) person.tags.add('quiet');
          say('off', 'changed');
          break;
        default:
          person.points += 5;
          say('p2', 'scored');
          say('', 'left');
          standing = true;
      }
    }
  }
  return { ms: performance.now() - begun, lines: trail.length };
}

export const walks: Benchmark = (say) => {
  const runs = Array.from({ length: ROUNDS }, (_, round) => {
    const bare = reference();
    const core = ours();
    const perSecond = (ms: number): number => (PEOPLE * STEPS * 1000) / ms;
    const row = { ours: perSecond(core.ms), reference: perSecond(bare.ms) };
    say(
      `round ${round + 1}: ${Math.round(row.ours)} steps/s against ${Math.round(row.reference)} (${core.lines} lines)`
    );
    return row;
  });
  const ours_ = median(runs.map((r) => r.ours));
  const reference_ = median(runs.map((r) => r.reference));
  return Promise.resolve([
    {
      name: `walks in memory, ${PEOPLE} people`,
      ours: ours_,
      reference: reference_,
      ratio: median(runs.map((r) => r.ours / r.reference)),
      target: '>= 0.25',
      unit: 'steps/s'
    }
  ]);
};
