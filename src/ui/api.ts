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
