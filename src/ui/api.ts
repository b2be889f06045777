/** Talking to our own server: JSON in, JSON out, problems as sentences. */

export type Answer<T> = { ok: true; data: T } | { ok: false; status: number; message: string; data: unknown };

export async function send<T>(method: string, url: string, body?: unknown, init: RequestInit = {}): Promise<Answer<T>> {
  try {
    const response = await fetch(url, {
      method,
      headers:
        body === undefined
          ? { accept: 'application/json' }
          : { accept: 'application/json', 'content-type': 'application/json' },
      ...(body === undefined ? {} : { body: JSON.stringify(body) }),
      ...init
    });
    const data = (await response.json().catch(() => null)) as (T & { message?: string }) | null;
    if (response.ok && data !== null) return { ok: true, data };
    return {
      ok: false,
      status: response.status,
      message: data?.message ?? `The server answered ${response.status}.`,
      data
    };
  } catch {
    return {
      ok: false,
      status: 0,
      message: 'The server cannot be reached. Nothing was lost; try again in a moment.',
      data: null
    };
  }
}

/** What the server would not do, with its status. */
export class NotDone extends Error {
  constructor(
    readonly status: number,
    message: string
  ) {
    super(message);
  }
}

/** Posts, and takes what is told line by line; the last line. */
export async function listen<T extends object>(
  url: string,
  body: object,
  signal: AbortSignal,
  take: (told: T) => void
): Promise<T | null> {
  const response = await fetch(url, {
    method: 'POST',
    body: JSON.stringify(body),
    headers: { 'content-type': 'application/json', accept: 'application/json' },
    signal
  });
  if (!response.ok || !response.body)
    throw new NotDone(
      response.status,
      ((await response.json().catch(() => null)) as { message?: string } | null)?.message ?? 'The server refused it.'
    );
  const reader = response.body.pipeThrough(new TextDecoderStream()).getReader();
  let rest = '';
  let last: T | null = null;
  for (let part = await reader.read(); !part.done; part = await reader.read()) {
    const lines = (rest + part.value).split('\n');
    rest = lines.pop() ?? '';
    for (const line of lines) {
      const told = JSON.parse(line) as T & { problem?: string };
      if (told.problem) throw new Error(told.problem);
      take((last = told));
    }
  }
  return last;
}
