import { redirect } from '@sveltejs/kit';
import { SESSION_COOKIE, signOut } from '$server/access/sessions.ts';
import { db } from '$server/app.ts';
import type { RequestHandler } from './$types';

export const POST: RequestHandler = async ({ cookies }) => {
  const token = cookies.get(SESSION_COOKIE);
  if (token) await signOut(db(), token);
  cookies.delete(SESSION_COOKIE, { path: '/' });
  redirect(303, '/sign-in');
};
