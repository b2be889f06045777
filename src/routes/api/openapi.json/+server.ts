import { json } from '@sveltejs/kit';
import { config } from '$server/app.ts';
import { openApi } from '$server/api/openapi.ts';
import type { RequestHandler } from './$types';

/** What the API takes and answers; the same for everyone, and nothing of anyone. */
export const GET: RequestHandler = () =>
  json(openApi(config().AMBULO_URL), { headers: { 'cache-control': 'no-cache' } });
