import { z } from 'zod';
import { fail } from '@sveltejs/kit';
import { LONGEST, naming, plainText } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { now } from '$server/workspace/clock.ts';
import { changesOfMany, undoChange } from '$server/crowds/changes.ts';
import { stopCrowd } from '$server/crowds/crowds.ts';
import { knownZones } from '$server/selection/may-have-changed.ts';
import { journeyNames } from '$server/journeys/journeys.ts';
import { look, TooLong } from '$server/people/counting.ts';
import { knownNames } from '$server/people/names.ts';
import { PER_PAGE, searchPeople, SORTS, tagNames, type PeopleFound, type PeopleSearch } from '$server/people/people.ts';
import { removeSegment, saveSegment } from '$server/settings/segments.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import { whereFrom } from '$ui/people/selection.ts';
import { scoreNames, showFacts, shownFacts } from '$server/people/shown.ts';
import { fieldNames, OWN_FIELDS } from '$server/engine/field-names.ts';
import type { Actions, PageServerLoad } from './$types';

const query = z.object({
  q: plainText(200).catch(''),
  tag: plainText(200).nullable().catch(null),
  sort: z.enum(SORTS).catch('name'),
  down: z.literal('1').nullable().catch(null),
  /** The place of the first that is shown, for the words below the table. */
  from: z.coerce.number().int().min(1).catch(1),
  way: z.enum(['after', 'before']).nullable().catch(null),
  value: plainText(1000).nullable().catch(null),
  id: z.coerce.number().int().min(1).catch(1)
});

/** Whether a place can be one of a list in this order: addresses come from anywhere. */
function fits(sort: PeopleSearch['sort'], value: string | null): boolean {
  if (value === null || sort === 'name' || sort === 'email') return true;
  // What the database keeps: instants from the year 1 to 9999, whole numbers of people's walks.
  const at = Date.parse(value);
  if (sort === 'last') return at >= Date.parse('0001-01-02') && at < Date.parse('9999-12-31');
  return value.trim() !== '' && Math.abs(Number(value)) < 1e9 && (sort === 'score' || Number.isInteger(Number(value)));
}

const settings = new SettingsBook();
/** A place among those who look at many is waited for so often, and so long between, ms. */
const MOST_TRIES = 20;
const AGAIN_MS = 150;

export const load: PageServerLoad = async ({ url, depends }) => {
  depends('live:crowds');
  const p = url.searchParams;
  const read = query.parse({
    q: p.get('q') ?? '',
    tag: p.get('tag'),
    sort: p.get('sort') ?? 'name',
    down: p.get('down'),
    from: p.get('from') ?? 1,
    way: p.get('way'),
    value: p.get('value'),
    id: p.get('id') ?? 1
  });
  const shown = await shownFacts(db());
  const where = whereFrom(p.get('where'));
  // A rule is asked of everybody: not again for whatever happens to anybody.
  if (!where) depends('live:people');
  const search = {
    shown,
    where: where ?? null,
    text: read.q,
    tag: read.tag,
    sort: read.sort,
    descending: read.down === '1',
    place: read.way && fits(read.sort, read.value) ? { way: read.way, value: read.value, id: read.id } : null
  };
  // Whoever is about to ask by a rule finds them read.
  void knownZones(db()).catch(() => undefined);
  let problem = where === undefined ? 'The rule in this address cannot be read: everybody is shown.' : '';
  const [{ people, total, more, before, after }, tags, fields, scores, known, journeys, done] = await Promise.all([
    find(search).catch((error: unknown) => {
      if (!(error instanceof TooLong)) throw error;
      problem = `${error.message} Ask for less, or for something that fewer people meet.`;
      return { people: [], total: 0, more: false, before: null, after: null };
    }),
    tagNames(db()),
    fieldNames(db()),
    scoreNames(db()),
    knownNames(db()),
    journeyNames(db()),
    changesOfMany(db())
  ]);
  return {
    people,
    problem,
    known,
    journeys,
    done,
    total,
    more,
    tags,
    fields: fields.slice(OWN_FIELDS),
    scores,
    search,
    from: read.from,
    before,
    after,
    perPage: PER_PAGE,
    crumbs: [{ name: 'People' }]
  };
};

/** A rule is asked of many at once: within limits, so that one that is slow holds up nobody else. */
async function find(search: PeopleSearch): Promise<PeopleFound> {
  if (!search.where) return searchPeople(db(), search);
  const zones = await knownZones(db());
  for (let tries = 1; ; tries++) {
    try {
      return await look(db(), async (one) => {
        const { workspace } = await settings.read(one);
        return searchPeople(one, { ...search, asked: { at: await now(one), workspace, zones } });
      });
    } catch (error) {
      // Others are being counted just now, mostly by the form beside the table.
      if (!(error instanceof TooLong) || !error.passes || tries >= MOST_TRIES) throw error;
      await new Promise((resolve) => setTimeout(resolve, AGAIN_MS));
    }
  }
}

const segment = z.object({ name: naming(LONGEST.name).min(1), where: z.string(), revision: z.coerce.number().int() });
const crowdAct = z.object({ id: z.coerce.number().int().positive(), act: z.enum(['stop', 'go', 'undo']) });

const chosen = z.object({ fact: z.enum(['field', 'score']), name: naming(LONGEST.name) });

export const actions: Actions = {
  /** Shows another field or score in the tables of people; an empty name shows none. */
  show: async ({ request }) => {
    const read = chosen.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { problem: 'There is no such field or score.' });
    await showFacts(db(), { [read.data.fact]: read.data.name || null });
    return {};
  },
  /** Saves the rule as a segment. */
  segment: async ({ request, locals }) => {
    const read = segment.safeParse(Object.fromEntries(await request.formData()));
    const when = read.success ? whereFrom(read.data.where) : undefined;
    if (!read.success || !when) return fail(400, { segmentProblem: 'Say its name, and a rule that can be read.' });
    const saved = await saveSegment(db(), { name: read.data.name, when }, read.data.revision, locals.user?.name ?? '');
    return saved.ok ? { segmentSaved: read.data.name } : fail(409, { segmentProblem: saved.problems.join(' ') });
  },
  removeSegment: async ({ request, locals }) => {
    const read = segment.omit({ where: true }).safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { segmentProblem: 'Which segment?' });
    const done = await removeSegment(db(), read.data.name, read.data.revision, locals.user?.name ?? '');
    return done.ok ? { segmentRemoved: read.data.name } : fail(409, { segmentProblem: done.problems.join(' ') });
  },
  /** Stops what is done with many at once, lets it go on, or takes it back. */
  many: async ({ request, locals }) => {
    const read = crowdAct.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { manyProblem: 'There is no such act.' });
    const { id, act } = read.data;
    const done =
      act === 'undo'
        ? (await undoChange(db(), id, locals.user?.name ?? '')) !== null
        : await stopCrowd(db(), id, act === 'stop');
    return done ? {} : fail(409, { manyProblem: 'That is over already.' });
  }
};
