import { fail, redirect } from '@sveltejs/kit';
import { RateLimiterMemory } from 'rate-limiter-flexible';
import { z } from 'zod';
import { SESSION_COOKIE, SESSION_DAYS, signIn } from '$server/access/sessions.ts';
import { config, db } from '$server/app.ts';
import { DEMO_USER } from '$server/access/demo-user.ts';
import type { Actions, PageServerLoad } from './$types';

const form = z.object({ email: z.string().min(1).max(200), password: z.string().min(1).max(200) });
/** Wrong tries an address and a name may make in ten minutes. */
const tries = new RateLimiterMemory({ points: 10, duration: 600 });

/** Only to a place of our own: "//other.example" would be another site's. */
function inside(to: string | null): string {
  return to && /^\/(?![/\\])/.test(to) ? to : '/';
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
    const key = `${getClientAddress()}/${email.toLowerCase()}`;
    const used = await tries.get(key);
    if (used && used.remainingPoints <= 0) {
      return fail(429, { email, problem: `Too many tries. Wait ${Math.ceil(used.msBeforeNext / 60_000)} minutes.` });
    }
    const token = await signIn(db(), email, password);
    if (!token) {
      await tries.consume(key).catch(() => undefined);
      return fail(400, { email, problem: 'That email and password do not belong together.' });
    }
    await tries.delete(key);
    cookies.set(SESSION_COOKIE, token, {
      path: '/',
      httpOnly: true,
      sameSite: 'lax',
      secure: url.protocol === 'https:',
      maxAge: SESSION_DAYS * 86_400
    });
    redirect(303, inside(url.searchParams.get('to')));
  }
};
