import { json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { findAnything } from '$server/results/find.ts';
import type { RequestHandler } from './$types';

export const GET: RequestHandler = async ({ url }) =>
  json({ found: await findAnything(db(), (url.searchParams.get('q') ?? '').slice(0, 100)) });
