import { json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { health } from '$server/results/health.ts';
import type { RequestHandler } from './$types';

/** Whether the server can work, and what waits: answers only when the database does. Counts, and nothing of anyone. */
export const GET: RequestHandler = async () => json(await health(db()));
