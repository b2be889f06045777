import { error, isHttpError, json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { keyOf } from '$server/api/keys.ts';
import { isUnavailable } from '$server/db/pool.ts';
import { MOST_EVENTS, takeEvents } from '$server/intake/events.ts';
import { SettingsBook } from '$server/workspace/settings.ts';
import type { RequestHandler } from './$types';

const settings = new SettingsBook();

/** Programs tell what happened: CloudEvents, one or a batch. */
export const POST: RequestHandler = async ({ request }) => {
  try {
    const key = await keyOf(db(), request.headers.get('authorization'));
    if (!key)
      return refuse(401, 'There is no key in force in "Authorization: Bearer …". Keys are made on the page Settings.');
    if (!key.scopes.includes('happenings:write')) return refuse(403, 'This key may not tell of happenings.');
    const events = await read(request);
    const taken = await takeEvents(db(), settings, events);
    return json(taken, { status: taken.taken + taken.known === 0 ? 422 : 202 });
  } catch (problem) {
    if (isHttpError(problem)) return refuse(problem.status, problem.body.message);
    if (isUnavailable(problem))
      return refuse(503, 'Nothing was stored: the database is away. Try again in a moment, with the same ids.');
    throw problem;
  }
};

const refuse = (status: number, message: string): Response =>
  json({ message }, { status, headers: status === 401 ? { 'www-authenticate': 'Bearer' } : {} });

/** The events of a request: one, a batch, or one in binary mode, whose attributes are headers. */
async function read(request: Request): Promise<unknown[]> {
  const type = (request.headers.get('content-type') ?? '').split(';')[0]?.trim().toLowerCase() ?? '';
  let body: unknown;
  try {
    body = JSON.parse(await request.text());
  } catch (problem) {
    // A body that is too large is not one that cannot be read.
    if (isHttpError(problem)) throw problem;
    error(400, 'The body is not JSON.');
  }
  if (request.headers.has('ce-specversion')) {
    const attributes = [...request.headers].flatMap(([name, value]) =>
      name.startsWith('ce-') ? [[name.slice(3), decoded(value)]] : []
    );
    return [{ ...Object.fromEntries(attributes), datacontenttype: type, data: body }];
  }
  const events = Array.isArray(body) ? (body as unknown[]) : [body];
  if (!events.length) error(400, 'The body holds no event.');
  if (events.length > MOST_EVENTS)
    error(
      413,
      `The body holds ${events.length} events, expected at most ${MOST_EVENTS}. Nothing of it was stored: send it in parts.`
    );
  return events;
}

/** Headers carry what is not ASCII in percent signs (CloudEvents, HTTP binding 3.1.3.2). */
function decoded(value: string): string {
  try {
    return decodeURIComponent(value);
  } catch {
    return value;
  }
}
