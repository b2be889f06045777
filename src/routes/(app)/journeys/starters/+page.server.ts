import { fail, redirect } from '@sveltejs/kit';
import { STARTERS, startFrom } from '$core/starters/index.ts';
import { sheetPicture } from '$core/sheet/picture.ts';
import { unfitInside } from '$core/text/text.ts';
import { db } from '$server/app.ts';
import { createJourney, keyFrom } from '$server/journeys/journeys.ts';
import { knownNames } from '$server/people/names.ts';
import { checkJourney } from '$core/journey/parse.ts';
import { pathText } from '$core/journey/problems.ts';
import type { Actions, PageServerLoad } from './$types';

export const load: PageServerLoad = async ({ url }) => {
  const chosen = STARTERS.find((s) => s.key === url.searchParams.get('show')) ?? STARTERS[0];
  const journey = chosen && startFrom(chosen);
  return {
    starters: STARTERS.map(({ key, name, purpose }) => ({ key, name, purpose })),
    chosen: chosen && {
      key: chosen.key,
      name: chosen.name,
      purpose: chosen.purpose,
      why: chosen.why,
      questions: chosen.questions
    },
    journey,
    picture: journey ? sheetPicture(journey) : '',
    names: await knownNames(db()),
    crumbs: [{ name: 'Journeys', href: '/journeys' }, { name: 'Starters' }]
  };
};

export const actions: Actions = {
  default: async ({ request, locals }) => {
    const form = Object.fromEntries(await request.formData());
    const starter = STARTERS.find((s) => s.key === form['starter']);
    if (!starter) return fail(400, { problem: 'There is no such starter.' });
    const answers = Object.fromEntries(
      starter.questions.flatMap(({ id }) => (typeof form[id] === 'string' ? [[id, form[id]]] : []))
    );
    const name =
      typeof form['name'] === 'string' && form['name'].trim() ? form['name'].trim().slice(0, 120) : starter.name;
    const journey = { ...startFrom(starter, answers), key: keyFrom(name), name };
    const unfit = unfitInside(journey);
    if (unfit) return fail(400, { problem: `An answer holds ${unfit.what}, which no text can have.` });
    const { problems } = checkJourney(JSON.parse(JSON.stringify(journey)));
    const [first] = problems;
    if (first) return fail(400, { problem: `This does not go together: ${pathText(first.path)}: ${first.message}.` });
    redirect(303, `/journeys/${await createJourney(db(), journey, locals.user?.name ?? '')}`);
  }
};
