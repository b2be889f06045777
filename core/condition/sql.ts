/**
 * Conditions as parameterised SQL over `people p`, for counting people and for finding those who may have joined or left a
 * segment. It says what `evaluate.ts` says of someone who is not walking, which a property test holds it to. Where SQL cannot
 * tell exactly (points that decay, words of an answer), it is told which way to err: `over` holds for everybody who may meet
 * the condition, `under` only for those who surely do. Everything from the condition is a parameter; no leaf is ever null, and
 * no value of a person is an error, whatever it is.
 */
import { allNames, renamed } from '../journey/names.ts';
import { PERSON_COLUMNS, type PersonColumn } from '../person/columns.ts';
import type { Engagement } from '../engagement/models.ts';
import type { FieldValue } from '../person/values.ts';
import { parseAmount } from '../person/amount.ts';
import { addDuration, parseDate } from '../time/civil.ts';
import { DAY, duration, type Duration } from '../time/duration.ts';
import { instantText, parseInstant } from '../time/instant.ts';
import { compileComparison, type Comparison } from './comparison.ts';
import type { Filters } from './happening.ts';
import type { Condition, DidCondition, Ordered } from './schema.ts';
import { dayBounds, sinceWhen } from './windows.ts';

/** Collects parameters; gives each its place. */
export class Parameters {
  constructor(readonly values: unknown[] = []) {}
  add(value: unknown, type = ''): string {
    this.values.push(value);
    return `$${this.values.length}${type && `::${type}`}`;
  }
}

/** When it is asked, and among what. */
export interface AskedAt {
  /** UTC ms. */
  at: number;
  workspace: Engagement;
  /** Zones that the database knows: a person's that is none of them counts as none. */
  zones: readonly string[];
}

type Side = 'over' | 'under';
const other = (side: Side): Side => (side === 'over' ? 'under' : 'over');

/** A boolean SQL expression; `exact` where both sides are the same. */
export interface AskedSql {
  sql: string;
  exact: boolean;
}

/** Asks a condition of `people p`; see above for what `side` means. */
export function conditionSql(condition: Condition, side: Side, asked: AskedAt, parameters: Parameters): AskedSql {
  const maker = new Maker(asked, parameters);
  const sql = maker.of(renamed(condition, asked.workspace.names), side);
  return { sql, exact: maker.exact };
}

/** Whether SQL can ask all that a filter asks: not the words of an answer, nor what a form was filled in with. */
const isTold = (name: string, f: Filters): boolean =>
  f.where === undefined &&
  f.matches === undefined &&
  f.amount === undefined &&
  f.to === undefined &&
  f.same === undefined &&
  !(name === 'sent' && f.machine === true);

class Maker {
  exact = true;
  private known: { now?: string; zone?: string } = {};

  constructor(
    private readonly asked: AskedAt,
    private readonly parameters: Parameters
  ) {}

  // Parameters that nothing uses have no type: these are added when they are first needed.
  private get now(): string {
    return (this.known.now ??= this.add(instantText(this.asked.at), 'timestamptz'));
  }

  /** The zone that days are counted in for `people p`. */
  private get zone(): string {
    const { zones, workspace } = this.asked;
    return (this.known.zone ??= `case when p.zone = any(${this.add(zones, 'text[]')}) then p.zone else ${this.add(workspace.zone, 'text')} end`);
  }

  private add(value: unknown, type = ''): string {
    return this.parameters.add(value, type);
  }

  /** What SQL cannot tell: everybody who may, or nobody who may not. */
  private unsure(side: Side, atLeast = 'true'): string {
    this.exact = false;
    return side === 'over' ? atLeast : 'false';
  }

  of(condition: Condition, side: Side): string {
    if ('all' in condition) return `(${condition.all.map((c) => this.of(c, side)).join(' and ')})`;
    if ('any' in condition) return `(${condition.any.map((c) => this.of(c, side)).join(' or ')})`;
    if ('did' in condition) return this.did(condition, side);
    if ('came' in condition) return 'false';
    if ('field' in condition) {
      const { field, ...comparison } = condition;
      return this.field(field, comparison, side);
    }
    if ('score' in condition) {
      const { score, ...comparison } = condition;
      return this.score(score, comparison as Comparison, side);
    }
    if ('not' in condition) return `(not ${this.of(condition.not, other(side))})`;
    if ('spent' in condition || 'orders' in condition) {
      // Of a sum or a count nobody knows which way a bound that is not sure errs.
      if (condition.last !== undefined && !condition.since && !this.isSure(duration(condition.last)))
        return this.unsure(side);
      return 'spent' in condition ? this.spent(condition, side) : this.orders(condition, side);
    }
    if ('tag' in condition) return this.has('person_tags', 'tag', condition.tag);
    if ('list' in condition) return this.has('person_lists', 'list', condition.list);
    if ('segment' in condition) return this.has('person_segments', 'segment', condition.segment);
    if ('consent' in condition) {
      const channel = this.add(condition.consent);
      return `exists (select from consents c where c.person_id = p.id and c.channel = ${channel} and c.state = 'given')`;
    }
    if ('rung' in condition) return this.rung([condition.rung].flat(), condition.ladder);
    const journey = this.add(condition.walking);
    return `exists (select from walks w join journeys j on j.id = w.journey_id
      where w.person_id = p.id and w.state = 'walking' and j.key = ${journey})`;
  }

  private has(table: string, column: string, name: string): string {
    return `exists (select from ${table} t where t.person_id = p.id and t.${column} = ${this.add(name)})`;
  }

  private rung(rungs: string[], ladder: string | undefined): string {
    const ladders = this.asked.workspace.ladders.map((l) => l.name).filter((n) => ladder === undefined || n === ladder);
    return `exists (select from agenda a cross join jsonb_array_elements(coalesce(a.state -> 'rungs', '[]')) as r
      where a.person_id = p.id and r ->> 0 = any(${this.add(ladders, 'text[]')}) and r -> 1 ->> 'rung' = any(${this.add(rungs, 'text[]')}))`;
  }

  /** Points as they stand; those of a model that decays may be fewer by now. */
  private score(name: string, comparison: Comparison, side: Side): string {
    const decays = this.asked.workspace.scores.get(name)?.decay;
    const zero = compileComparison(comparison)(0, this.asked.at, 'UTC');
    // A parameter that nothing uses has no type, so nothing is added that may not be needed.
    if (decays && side === (zero ? 'over' : 'under')) return this.unsure(side);
    const points = `coalesce((select s.points from scores s where s.person_id = p.id and s.score = ${this.add(name)}), 0)::numeric`;
    if (!decays) return this.numbers(points, comparison);
    this.exact = false;
    return zero ? `(${points} = 0)` : `(${points} <> 0)`;
  }

  /** Comparisons of a number that is always there. */
  private numbers(value: string, c: Comparison, scale: (v: unknown) => unknown = (v) => v): string {
    const number = (v: unknown): string => this.add(scale(v), 'numeric');
    const list = (v: unknown[]): string => `any(${this.add(v.map(scale), 'numeric[]')})`;
    const parts = [
      c.is === undefined ? '' : `${value} = ${number(c.is)}`,
      c.not === undefined ? '' : `${value} <> ${number(c.not)}`,
      // Asked of the value though it is always there: a parameter that nothing uses has no type, and is an error.
      c.set === undefined ? '' : `${value} is ${c.set ? 'not ' : ''}null`,
      c.in ? `${value} = ${list(c.in)}` : '',
      c.notIn ? `not (${value} = ${list(c.notIn)})` : '',
      c.gt === undefined ? '' : `${value} > ${number(c.gt)}`,
      c.gte === undefined ? '' : `${value} >= ${number(c.gte)}`,
      c.lt === undefined ? '' : `${value} < ${number(c.lt)}`,
      c.lte === undefined ? '' : `${value} <= ${number(c.lte)}`
    ].filter(Boolean);
    return `(${parts.join(' and ')})`;
  }

  /** What is another for each zone, as the person's has it: worked out here, once for all. */
  private perZone(of: (zone: string) => string, type: string): string {
    const { workspace, zones } = this.asked;
    const own = of(workspace.zone);
    const others = zones.flatMap((zone) => {
      const value = of(zone);
      return value === own ? [] : [[zone, value] as const];
    });
    const usual = this.add(own, type);
    return others.length
      ? `coalesce((${this.add(JSON.stringify(Object.fromEntries(others)), 'jsonb')} ->> p.zone)::${type}, ${usual})`
      : usual;
  }

  /** Behind which instant something is not as long ago as a duration, by zone; worked out once. */
  private readonly windows = new Map<string, (zone: string) => ReturnType<typeof sinceWhen>>();
  private since(d: Duration): (zone: string) => ReturnType<typeof sinceWhen> {
    const name = JSON.stringify(d);
    let of = this.windows.get(name);
    if (!of) {
      const { at, workspace, zones } = this.asked;
      const known = new Map([workspace.zone, ...zones].map((zone) => [zone, sinceWhen(zone, at, d)]));
      this.windows.set(name, (of = (zone) => known.get(zone) ?? sinceWhen(zone, at, d)));
    }
    return of;
  }

  /** Whether the same counts by either side, whatever the zone. */
  private isSure(d: Duration): boolean {
    const of = this.since(d);
    return [this.asked.workspace.zone, ...this.asked.zones].every((zone) => of(zone).over === of(zone).under);
  }

  /** That an instant is not as long ago as a duration. */
  private lately(at: string, d: Duration, side: Side): string {
    if (!this.isSure(d)) this.exact = false;
    const of = this.since(d);
    return `${at} >= ${this.perZone((zone) => instantText(of(zone)[side]), 'timestamptz')}`;
  }

  /** The day that the wall clock shows. */
  private readonly day = (at: string): string => `((${at}) at time zone ${this.zone})::date`;

  // Orders are a part of the person's state: see core/person/orders.ts.
  private counted(query: Ordered, side: Side): { left: string; where: string } {
    if (query.since) return { left: '0', where: 'false' };
    const last = query.last === undefined ? null : duration(query.last);
    const placed = `to_timestamp((o ->> 'at')::double precision / 1000)`;
    const window = last ? this.lately(placed, last, side) : 'true';
    if (query.product === undefined && query.category === undefined)
      return { left: `(o ->> 'left')::numeric`, where: `not (o ->> 'gone')::boolean and ${window}` };
    const fits = [
      query.product === undefined ? '' : ` and l ->> 'sku' = ${this.add(query.product)}`,
      query.category === undefined ? '' : ` and l ->> 'category' = ${this.add(query.category)}`
    ].join('');
    const lines = `from jsonb_array_elements(o -> 'lines') as l
      where ((l ->> 'left')::numeric > 0 or (l ->> 'total')::numeric = 0)${fits}`;
    return {
      left: `(select coalesce(sum((l ->> 'left')::numeric), 0) ${lines})`,
      where: `not (o ->> 'gone')::boolean and ${window} and exists (select ${lines})`
    };
  }

  private readonly eachOrder = `from agenda a cross join jsonb_array_elements(coalesce(a.state -> 'orders', '[]')) as o where a.person_id = p.id`;

  private spent(condition: { spent: object } & Ordered, side: Side): string {
    const { left, where } = this.counted(condition, side);
    const sum = `(select coalesce(sum(${left}), 0) ${this.eachOrder} and ${where})`;
    return this.numbers(sum, condition.spent as Comparison, (v) => parseAmount(v as string | number));
  }

  private orders(condition: { orders: object } & Ordered, side: Side): string {
    const { where } = this.counted(condition, side);
    return this.numbers(`(select count(*) ${this.eachOrder} and ${where})`, condition.orders as Comparison);
  }

  private did(condition: DidCondition, side: Side): string {
    const { did, last, since, times, of, journey, ...filters } = condition;
    const none = times !== undefined && compileComparison(times as Comparison)(0, 0, 'UTC');
    // Without a walk nothing has happened since it began, and none of its messages was sent; what came of another journey's
    // message the core can tell.
    if (since || (of !== undefined && journey === undefined)) return String(none);
    if (of !== undefined) return this.unsure(side);
    const d = last === undefined ? null : duration(last);
    const told = isTold(did, filters) && (!times || !d || this.isSure(d));
    if (!told && (none || side === 'under')) return this.unsure(side);
    const asked = this.filters(did, { ...filters, journey });
    const table = did === 'sent' ? 'messages' : 'happenings';
    const at = did === 'sent' ? 'h.created_at' : 'h.at';
    const window = d ? ` and ${this.lately(at, d, side)}` : '';
    const named = did === 'sent' ? '' : ` and h.name = ${this.add(did)} and h.handled_at is not null`;
    const found = `from ${table} h where h.person_id = p.id${named}${window}${asked}`;
    if (!told) return this.unsure(side, `exists (select ${found})`);
    return times ? this.numbers(`(select count(*) ${found})`, times as Comparison) : `exists (select ${found})`;
  }

  /** What a happening is asked, as far as SQL can ask it. */
  private filters(name: string, f: Filters): string {
    const {
      machine,
      product,
      category,
      url,
      hard,
      score,
      points,
      where: _,
      matches: _m,
      amount: _a,
      to: _t,
      same: _s,
      ...plain
    } = f;
    const parts: string[] = [];
    if (name === 'sent') {
      if (plain.channel !== undefined) parts.push(`h.channel = ${this.add(plain.channel)}`);
      return parts.map((p) => ` and ${p}`).join('');
    }
    if (machine === undefined) parts.push(`coalesce(h.data ->> 'machine', 'false') <> 'true'`);
    else if (machine === true) parts.push(`coalesce(h.data ->> 'machine', 'false') = 'true'`);
    for (const [key, wanted] of Object.entries(plain)) {
      if (wanted === undefined) continue;
      const value = `h.data ->> '${key === 'name' ? 'custom' : key.replace(/[^a-z]/g, '')}'`;
      // What happened before it was called so is on record by its former name.
      const names =
        key === 'tag' || key === 'list' || key === 'field'
          ? allNames(this.asked.workspace.names, key, String(wanted))
          : [wanted];
      parts.push(
        names.length > 1 ? `${value} = any(${this.add(names, 'text[]')})` : `${value} = ${this.add(names[0])}`
      );
    }
    if (hard !== undefined) parts.push(`coalesce(h.data ->> 'hard', 'false') = ${this.add(String(hard))}`);
    if (url !== undefined)
      parts.push(`coalesce(h.data ->> 'url', '') like ${this.add(url.replace(/[\\%_]/g, '\\$&').replace(/\*/g, '%'))}`);
    if (product !== undefined || category !== undefined) {
      const line = [
        product === undefined ? '' : `l ->> 'sku' = ${this.add(product)}`,
        category === undefined ? '' : `l ->> 'category' = ${this.add(category)}`
      ].filter(Boolean);
      parts.push(
        `exists (select from jsonb_array_elements(coalesce(h.data -> 'items', '[]')) as l where ${line.join(' and ')})`
      );
    }
    if (name === 'score_reached')
      parts.push(
        `h.data ->> 'score' = ${this.add(score)} and coalesce((h.data ->> 'before')::numeric, 0) < ${this.add(points, 'numeric')}
          and coalesce((h.data ->> 'points')::numeric, 0) >= ${this.add(points, 'numeric')}`
      );
    return parts.map((p) => ` and ${p}`).join('');
  }

  private field(field: string, c: Comparison, side: Side): string {
    const own = (PERSON_COLUMNS as readonly string[]).includes(field);
    // Own columns are text; other fields keep their JSON type. What passes the cheap question is asked the other.
    const name = own ? '' : this.add(field, 'text');
    const value = own ? `to_jsonb(p.${field as PersonColumn})` : `(p.fields -> ${name})`;
    const raw = own ? `p.${field as PersonColumn}` : `(p.fields ->> ${name})`;
    const isText = own ? 'true' : `jsonb_typeof(${value}) = 'string'`;
    const has = `(coalesce(${raw}, '') not in ('', '[]') or ${own ? 'false' : `coalesce(${value} = '"[]"', false)`})`;
    const text = raw;
    const number = `(case when jsonb_typeof(${value}) = 'number' then (${value})::numeric end)`;
    const chosen = `(select coalesce(array_agg(lower(x)), '{}') from jsonb_array_elements_text(
      case jsonb_typeof(${value}) when 'array' then ${value} else jsonb_build_array(${value}) end) as x)`;
    // Told so that the planner still sees what is compared, which "coalesce" would hide from it.
    const sure = (sql: string): string => `((${sql}) is true)`;
    const same = (v: FieldValue): string => {
      if (Array.isArray(v)) {
        const wanted = this.add(
          v.map((x) => x.toLowerCase()),
          'text[]'
        );
        return sure(`cardinality(${chosen}) = cardinality(${wanted}) and ${chosen} <@ ${wanted}`);
      }
      if (typeof v !== 'string') return sure(`${value} = ${this.add(JSON.stringify(v), 'jsonb')}`);
      const wanted = this.add(v.toLowerCase(), 'text');
      const at = v.includes('T') ? parseInstant(v) : null;
      const sameInstant =
        at === null ? '' : ` or (${isText} and as_instant(${raw}) = ${this.add(instantText(at), 'timestamptz')})`;
      if (own) return sure(`lower(${raw}) = ${wanted}${sameInstant}`);
      // One choice alone is the same as what was chosen: as text, without looking into it, so that it is asked in parallel. What
      // kind of value it is, is asked only where it reads alike.
      const chosenAlone = this.add(JSON.stringify([v.toLowerCase()]), 'text');
      return sure(
        `case lower(${raw}) when ${wanted} then ${isText} when ${chosenAlone} then jsonb_typeof(${value}) = 'array' end${sameInstant}`
      );
    };
    const like = (pattern: string): string =>
      sure(`lower(${raw}) like ${this.add(pattern, 'text')} and ${isText} and ${has}`);
    const plain = (v: string): string => v.toLowerCase().replace(/[\\%_]/g, '\\$&');
    const choices = (v: string[]): string =>
      this.add(
        v.map((x) => x.toLowerCase()),
        'text[]'
      );
    const parts: string[] = [];
    if (c.set !== undefined) parts.push(c.set ? has : `(not ${has})`);
    // What equals a value that is not empty has one.
    const equals = (v: FieldValue): string => (v === '' || Array.isArray(v) ? `(${same(v)} and ${has})` : same(v));
    if (c.is !== undefined) parts.push(equals(c.is));
    if (c.not !== undefined) parts.push(`(not ${equals(c.not)})`);
    if (c.in) parts.push(`(${c.in.map(equals).join(' or ')})`);
    if (c.notIn) parts.push(`(not (${c.notIn.map(equals).join(' or ')}))`);
    if (c.contains !== undefined) parts.push(like(`%${plain(c.contains)}%`));
    if (c.startsWith !== undefined) parts.push(like(`${plain(c.startsWith)}%`));
    for (const [key, sign] of [
      ['gt', '>'],
      ['gte', '>='],
      ['lt', '<'],
      ['lte', '<=']
    ] as const) {
      const than = c[key];
      if (than !== undefined) parts.push(sure(`${number} ${sign} ${this.add(than, 'numeric')}`));
    }
    if (c.before !== undefined) parts.push(this.against(text, '<', c.before));
    if (c.after !== undefined) parts.push(this.against(text, '>', c.after));
    if (c.last !== undefined) parts.push(this.within(text, duration(c.last), 'last', side));
    if (c.next !== undefined) parts.push(this.within(text, duration(c.next), 'next', side));
    if (c.dayIs) parts.push(this.isToday(text));
    if (c.has !== undefined) parts.push(`(${has} and ${chosen} @> ${choices([c.has])})`);
    if (c.hasAll) parts.push(`(${has} and ${chosen} @> ${choices(c.hasAll)})`);
    if (c.hasNone) parts.push(`(not (${has} and ${chosen} && ${choices(c.hasNone)}))`);
    return `(${parts.join(' and ')})`;
  }

  /** A date or instant against another: by days, where either is one. */
  private against(text: string, sign: '<' | '>', than: string): string {
    const day = parseDate(than);
    const [date, instant] = [`as_date(${text})`, `as_instant(${text})`];
    if (day !== null) {
      const wanted = this.add(than, 'date');
      return `coalesce(coalesce(${date}, ${this.day(instant)}) ${sign} ${wanted}, false)`;
    }
    const wanted = this.add(instantText(parseInstant(than) ?? 0), 'timestamptz');
    return `coalesce(case when ${date} is not null then ${date} ${sign} ${this.day(wanted)} else ${instant} ${sign} ${wanted} end, false)`;
  }

  private within(text: string, d: Duration, which: 'last' | 'next', side: Side): string {
    const days = (end: 0 | 1): string => this.perZone((zone) => dayBounds(zone, this.asked.at, d, which)[end], 'text');
    const { at, workspace, zones } = this.asked;
    // Days around the window by any clock: whatever is not among them is not looked at more closely.
    const ends = [workspace.zone, ...zones].map((zone) =>
      which === 'last' ? this.since(d)(zone).over : addDuration(zone, at, d)
    );
    const near = which === 'last' ? [Math.min(...ends), at] : [at, Math.max(...ends)];
    const [from = '', to = ''] = near.map((end, i) =>
      this.add(instantText(end + (i ? 2 : -2) * DAY).slice(0, 10), 'text')
    );
    const instant = `as_instant(${text})`;
    const inside =
      which === 'last'
        ? `${instant} <= ${this.now} and ${this.lately(instant, d, side)}`
        : `${instant} >= ${this.now} and ${instant} < ${this.perZone((zone) => instantText(addDuration(zone, at, d)), 'timestamptz')}`;
    return `coalesce(${text} >= ${from} and ${text} <= ${to} and case when length(${text}) = 10
      then ${text} >= ${days(0)} and ${text} <= ${days(1)} and as_date(${text}) is not null else ${inside} end, false)`;
  }

  /** Today's month and day; a 29 February is 28 February in other years. */
  private isToday(text: string): string {
    const own = `coalesce(as_date(${text}), ${this.day(`as_instant(${text})`)})`;
    const today = this.day(this.now);
    const leapDay = `to_char(${today}, 'MM-DD') = '02-28' and to_char(${today} + 1, 'MM-DD') = '03-01' and to_char(${own}, 'MM-DD') = '02-29'`;
    return `coalesce(to_char(${own}, 'MM-DD') = to_char(${today}, 'MM-DD') or ${leapDay}, false)`;
  }
}
