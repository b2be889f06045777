import { BadFile } from '$server/imports/csv.ts';

export type Tell = (value: object) => void;

/**
 * Long work that tells how far it is, one JSON object a line, the last with `end: true` or a `problem`. Closing the
 * connection stops it. `stopped` says what is kept when it fails.
 */
export function telling(
  request: Request,
  work: (tell: Tell, signal: AbortSignal) => Promise<object>,
  stopped: (problem: Error) => string
): Response {
  const gone = new AbortController();
  const stream = new ReadableStream<string>({
    async start(controller) {
      const tell: Tell = (value) => {
        if (!gone.signal.aborted) controller.enqueue(JSON.stringify(value) + '\n');
      };
      try {
        const end = await work(tell, AbortSignal.any([request.signal, gone.signal]));
        tell({ ...end, end: true });
      } catch (problem) {
        tell({ problem: problem instanceof BadFile ? problem.message : stopped(problem as Error) });
      }
      if (!gone.signal.aborted) controller.close();
    },
    cancel: () => gone.abort()
  });
  return new Response(stream.pipeThrough(new TextEncoderStream()), {
    headers: { 'content-type': 'application/x-ndjson', 'cache-control': 'no-store' }
  });
}
