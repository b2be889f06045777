import { json } from '@sveltejs/kit';
import { db } from '$server/app.ts';
import { segmentLines } from '$server/settings/segments.ts';
import type { RequestHandler } from './$types';

/** The saved segments, with how many are in each and what goes by it. */
export const GET: RequestHandler = async () => json(await segmentLines(db()));
