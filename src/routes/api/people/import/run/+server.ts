import { randomUUID } from 'node:crypto';
import { db } from '$server/app.ts';
import { importRows, matchRows } from '$server/people/import.ts';
import { readUpload } from '../read.ts';
import type { RequestHandler } from './$types';

/** Imports the good rows; tells how far it is, one JSON object a line. Closing the connection stops it between parts. */
export const POST: RequestHandler = async ({ request }) => {
  const { good, form } = await readUpload(request);
  const { matched } = await matchRows(db(), good);
  const options = { importId: randomUUID(), begins: form.get('begins') === 'yes', signal: request.signal };
  const stop = new AbortController();
  const stream = new ReadableStream<string>({
    async start(controller) {
      const tell = (value: object): void => {
        if (!stop.signal.aborted) controller.enqueue(JSON.stringify(value) + '\n');
      };
      try {
        const signal = AbortSignal.any([request.signal, stop.signal]);
        const end = await importRows(
          db(),
          matched.map((m) => m.row),
          { ...options, signal },
          tell
        );
        tell({ ...end, end: true });
      } catch (problem) {
        tell({
          problem: `The import stopped: ${(problem as Error).message}. What was counted until then is in; importing the file again updates it and adds the rest.`
        });
      }
      if (!stop.signal.aborted) controller.close();
    },
    cancel: () => stop.abort()
  });
  return new Response(stream.pipeThrough(new TextEncoderStream()), {
    headers: { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' }
  });
};
