/** Find anything: journeys and their steps, people, tags, by some of their letters. */
import type { Journey } from '../../core/journey/schema.ts';
import { eachStep } from '../../core/journey/walk-document.ts';
import { kindOf } from '../../core/steps/index.ts';
import type { Db } from '../db/pool.ts';
import { searchPeople, tagNames } from '../people/people.ts';

export interface Found {
  kind: 'journey' | 'step' | 'person' | 'tag';
  title: string;
  detail: string;
  href: string;
}

const EACH = 6;

export async function findAnything(db: Db, text: string): Promise<Found[]> {
  const query = text.trim().toLowerCase();
  if (!query) return [];
  const has = (words: string): boolean => words.toLowerCase().includes(query);
  const [journeys, people, tags] = await Promise.all([
    db.query<{ key: string; name: string; folder: string; state: string; draft: Journey }>(
      'select key, name, folder, state, draft from journeys order by name'
    ),
    searchPeople(db, {
      text,
      tag: null,
      sort: 'name',
      descending: false,
      shown: { field: null, score: null }
    }),
    tagNames(db)
  ]);
  const found: Found[] = journeys.rows
    .filter((j) => has(j.name) || has(j.folder))
    .map((j) => ({
      kind: 'journey',
      title: j.name,
      detail: `${j.state}${j.folder ? `, in ${j.folder}` : ''}`,
      href: `/journeys/${j.key}`
    }));
  const steps: Found[] = journeys.rows.flatMap((j) =>
    eachStep(j.draft)
      .map(({ step }) => ({ step, card: kindOf(step).card(step) }))
      .filter(({ card }) => has(card.title) || has(card.line))
      .map(({ step, card }) => ({
        kind: 'step' as const,
        title: card.title,
        detail: `${step.kind} in ${j.name}`,
        href: `/journeys/${j.key}?step=${step.key}`
      }))
  );
  return [
    ...found.slice(0, EACH),
    ...people.people.slice(0, EACH).map((p): Found => ({
      kind: 'person',
      title: p.name,
      detail: p.email ?? p.phone ?? '',
      href: `/people/${p.id}`
    })),
    ...tags
      .filter((t) => has(t))
      .slice(0, EACH)
      .map((t): Found => ({
        kind: 'tag',
        title: t,
        detail: 'tag',
        href: `/people?tag=${encodeURIComponent(t)}`
      })),
    ...steps.slice(0, EACH)
  ];
}
