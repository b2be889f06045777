/**
 * A small JSON server for the stand-ins: routes by method and path, loopback
 * only. What changes something is JSON from a page of its own origin or from a
 * program that names it, so that no page of another site can reach it through
 * somebody's browser (CSRF, DNS rebinding); bodies are checked.
 */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { z } from 'zod';

export interface Request {
  path: string;
  query: URLSearchParams;
  /** A JSON body; `undefined` for none. */
  body: unknown;
}

/** An answer: JSON with a status. */
export interface Answer {
  status: number;
  json: unknown;
}
type Handler = (request: Request) => Answer | Promise<Answer>;

/** Routes as `"GET /api/mail": handler`. A path ending in `/*` takes everything below it. */
export type Routes = Record<string, Handler>;

const MOST_BODY = 1_000_000;

/** A request that is not taken: a status and a sentence. */
class Refused extends Error {
  constructor(
    readonly status: number,
    message: string
  ) {
    super(message);
  }
}

async function readBody(request: IncomingMessage): Promise<string> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of request) {
    size += (part as Buffer).length;
    if (size > MOST_BODY) throw new Refused(413, 'the body is too long');
    parts.push(part as Buffer);
  }
  return Buffer.concat(parts).toString('utf8');
}

async function readJson(request: IncomingMessage): Promise<unknown> {
  const text = await readBody(request);
  if (request.method === 'GET' || request.method === 'HEAD') return undefined;
  if (!/^application\/json\b/i.test(request.headers['content-type'] ?? ''))
    throw new Refused(415, 'only JSON is taken');
  try {
    return JSON.parse(text);
  } catch {
    throw new Refused(400, 'the body is not JSON');
  }
}

/** Only under our own name, and for changes only from our own pages or programs that say it is us they mean. */
function checkDoor(request: IncomingMessage): void {
  // What programs post to from anywhere says nothing of anyone, and is read by nobody.
  if (request.url === '/hook') return;
  const host = request.headers.host ?? '';
  if (!/^(?:127\.0\.0\.1|localhost)(?::\d{1,5})?$/.test(host)) throw new Refused(421, 'this is not that host');
  if (request.method !== 'GET' && request.method !== 'HEAD' && request.headers.origin !== `http://${host}`)
    throw new Refused(403, 'this request came from another site');
}

function find(routes: Routes, method: string, path: string): Handler | undefined {
  const exact = Object.hasOwn(routes, `${method} ${path}`) ? routes[`${method} ${path}`] : undefined;
  if (exact) return exact;
  const below = `${method} ${path.slice(0, path.lastIndexOf('/'))}/*`;
  return Object.hasOwn(routes, below) ? routes[below] : undefined;
}

async function answer(routes: Routes, request: IncomingMessage): Promise<Answer> {
  try {
    checkDoor(request);
    const [path = '/', query = ''] = (request.url ?? '/').split('?', 2);
    const handler = find(routes, request.method ?? 'GET', path);
    if (!handler) throw new Refused(404, 'there is nothing here');
    return await handler({ path, query: new URLSearchParams(query), body: await readJson(request) });
  } catch (error) {
    if (error instanceof Refused) return { status: error.status, json: { error: error.message } };
    if (error instanceof z.ZodError)
      return {
        status: 400,
        json: { error: error.issues.map((i) => `${i.path.join('.') || 'the body'}: ${i.message}`).join('; ') }
      };
    return { status: 500, json: { error: (error as Error).message } };
  }
}

function respond(response: ServerResponse, { status, json }: Answer): void {
  response
    .writeHead(status, {
      'content-type': 'application/json',
      'cache-control': 'no-store',
      'x-content-type-options': 'nosniff',
      'content-security-policy': `default-src 'none'`
    })
    .end(JSON.stringify(json));
}

/** Starts on 127.0.0.1; port 0 takes a free one. */
export async function serve(routes: Routes, port: number): Promise<{ port: number; close(): Promise<void> }> {
  const server: Server = createServer((request, response) => {
    // Nothing one request brings may end the process that all the others are served by.
    answer(routes, request).then(
      (result) => respond(response, result),
      (error: Error) => respond(response, { status: 500, json: { error: error.message } })
    );
    request.on('error', () => undefined);
    response.on('error', () => undefined);
  });
  server.keepAliveTimeout = 60_000;
  await new Promise<void>((resolve, reject) => server.once('error', reject).listen(port, '127.0.0.1', resolve));
  return {
    port: (server.address() as AddressInfo).port,
    close: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      })
  };
}

/** How a reader's browser names itself. */
export const AS_A_READER = { 'user-agent': 'Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0' };

/** Posts JSON to a stand-in, as a program that means it. */
export function postJson(url: string, body: unknown, signal?: AbortSignal): Promise<Response> {
  return fetch(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json', origin: new URL(url).origin },
    body: JSON.stringify(body),
    ...(signal ? { signal } : {})
  });
}
