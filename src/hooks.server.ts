import { redirect, type Handle, type HandleServerError, type ServerInit } from '@sveltejs/kit';
import { SESSION_COOKIE, userOf } from '$server/access/sessions.ts';
import { db } from '$server/app.ts';
import { isUnavailable } from '$server/db/pool.ts';
import { knownZones } from '$server/selection/may-have-changed.ts';

/** Reached by people in their mail and by outside services, who have no account here. */
const PUBLIC = /^\/(o|l|u|c)\/[^/]+$|^\/hooks\/|^\/sign-in$|^\/health$|^\/api\/(happenings|openapi\.json)$|^\/metrics$/;
/** Of those, what may be posted to from anywhere: RFC 8058 one-click, signed webhooks, and programs with a key. */
const POSTED_FROM_ANYWHERE = /^\/u\/[^/]+$|^\/hooks\/|^\/api\/happenings$/;

const AWAY = 'The database cannot be reached at the moment.';

/** Zones take a second or two to read: begun with the server, and not with the first who looks for somebody. */
export const init: ServerInit = () => {
  void knownZones(db()).catch(() => undefined);
};

export const handle: Handle = async ({ event, resolve }) => {
  const { pathname } = event.url;
  // No text of ours holds this character, so nothing is at an address with it, whatever page it leads to.
  if (/%00/.test(event.url.href))
    return new Response('This address contains a character that no text can have.', { status: 400 });
  const changes = !['GET', 'HEAD', 'OPTIONS'].includes(event.request.method);
  if (changes && !POSTED_FROM_ANYWHERE.test(pathname) && event.request.headers.get('origin') !== event.url.origin) {
    return new Response('This request came from another site and was refused. Nothing was changed.', { status: 403 });
  }
  const token = event.cookies.get(SESSION_COOKIE);
  // An open page asks for fresh figures: it waits for the database rather than being replaced by an error.
  const patient = event.isDataRequest && event.request.method === 'GET';
  try {
    event.locals.user = token ? await userOf(db(), token) : null;
  } catch (error) {
    if (!isUnavailable(error)) throw error;
    if (!patient || !(await databaseBack())) return away(event.request);
    event.locals.user = token ? await userOf(db(), token) : null;
  }
  if (!event.locals.user && !PUBLIC.test(pathname)) {
    if (event.request.headers.get('accept')?.includes('text/html')) {
      redirect(303, `/sign-in?to=${encodeURIComponent(pathname + event.url.search)}`);
    }
    return Response.json({ message: 'Sign in first.' }, { status: 401 });
  }
  let response = await resolve(event);
  if (patient && event.locals.databaseAway && (await databaseBack())) response = await resolve(event);
  // What shows anyone's data is kept by no cache, neither on the way nor in the browser.
  if (!response.headers.has('cache-control')) response.headers.set('cache-control', 'private, no-store');
  return response;
};

const PATIENCE_MS = 120_000;

/** Waits until the database answers again; false where that takes too long. */
async function databaseBack(): Promise<boolean> {
  for (const until = Date.now() + PATIENCE_MS; Date.now() < until;) {
    const up = await db()
      .query('select 1')
      .then(
        () => true,
        () => false
      );
    if (up) return true;
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
  return false;
}

/** Without the database not even the session can be read; say so, and try again. */
function away(request: Request): Response {
  if (!request.headers.get('accept')?.includes('text/html')) {
    return Response.json(
      { message: `${AWAY} Nothing was lost; try again in a moment.` },
      { status: 503, headers: { 'retry-after': '5' } }
    );
  }
  const page = `<!doctype html><html lang="en"><meta charset="utf-8"><meta http-equiv="refresh" content="3">
<title>Database away · Ambulo</title><body style="font:16px/1.5 sans-serif;background:#f4f2eb;color:#1c2628;padding:3rem;max-width:40rem">
<h1 style="font-size:1.25rem">${AWAY}</h1><p>Nothing is lost: messages and happenings wait where they are, and the worker goes on
by itself as soon as the database answers. This page tries again every three seconds.</p></body></html>`;
  return new Response(page, {
    status: 503,
    headers: { 'content-type': 'text/html; charset=utf-8', 'retry-after': '3' }
  });
}

export const handleError: HandleServerError = ({ error, event, status }) => {
  if (isUnavailable(error)) {
    event.locals.databaseAway = true;
    return { message: AWAY, hint: 'Nothing is lost. Try again in a moment; the worker goes on by itself.' };
  }
  if (status === 404) return { message: 'There is nothing at this address.' };
  process.stderr.write(`${(error as Error)?.stack ?? String(error)}\n`);
  return { message: 'Something went wrong on our side; nothing was changed.' };
};
