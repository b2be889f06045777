import { fail, redirect } from '@sveltejs/kit';
import { z } from 'zod';
import { plainText } from '$core/text/text.ts';
import { countGuess, DEVICE_COOKIE, DEVICE_DAYS, deviceCookie, knownDevice, lookedUp } from '$server/access/guesses.ts';
import { SESSION_COOKIE, SESSION_DAYS, signIn, signOut } from '$server/access/sessions.ts';
import { config, db } from '$server/app.ts';
import { DEMO_USER } from '$server/access/demo-user.ts';
import { workspaceSecret } from '$server/intake/intake.ts';
import type { Actions, PageServerLoad } from './$types';

const form = z.object({ email: plainText(200).min(1), password: plainText(200).min(1) });

/** Only to a path of our own, as a browser would read it: "/\t/other.example" would be another site's. */
function inside(to: string | null): string {
  const own = 'http://own.invalid';
  try {
    const { origin, pathname, search, hash } = new URL(to ?? '/', own);
    return origin === own && to?.startsWith('/') ? pathname.replace(/^\/+/, '/') + search + hash : '/';
  } catch {
    return '/';
  }
}

export const load: PageServerLoad = ({ locals, url }) => {
  if (locals.user) redirect(303, inside(url.searchParams.get('to')));
  return { demo: config().AMBULO_DEMO === '1' ? DEMO_USER : null };
};

export const actions: Actions = {
  default: async ({ request, cookies, url, getClientAddress }) => {
    const read = form.safeParse(Object.fromEntries(await request.formData()));
    if (!read.success) return fail(400, { email: '', problem: 'Fill in both email and password.' });
    const { email, password } = read.data;
    const name = lookedUp(email);
    const secret = await workspaceSecret(db());
    const device = knownDevice(secret, name, cookies.get(DEVICE_COOKIE));
    const guess = await countGuess(getClientAddress(), name, device);
    if (typeof guess === 'number') {
      const minutes = guess === 1 ? '1 minute' : `${guess} minutes`;
      return fail(429, { email, problem: `Too many tries. Wait ${minutes}.` });
    }
    const token = await signIn(db(), name, password);
    if (!token) return fail(400, { email, problem: 'That email and password do not belong together.' });
    await guess.right();
    const before = cookies.get(SESSION_COOKIE);
    if (before) await signOut(db(), before);
    const secure = url.protocol === 'https:';
    const kept = { httpOnly: true, sameSite: 'lax', secure } as const;
    cookies.set(SESSION_COOKIE, token, { ...kept, path: '/', maxAge: SESSION_DAYS * 86_400 });
    if (!device)
      cookies.set(DEVICE_COOKIE, deviceCookie(secret, name), {
        ...kept,
        path: '/sign-in',
        maxAge: DEVICE_DAYS * 86_400
      });
    redirect(303, inside(url.searchParams.get('to')));
  }
};
