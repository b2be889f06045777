/** A small JSON server for the stand-ins: routes by method and path, loopback only. */
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';

export interface Request {
  path: string;
  query: URLSearchParams;
  body: string;
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

async function readBody(request: IncomingMessage): Promise<string> {
  const parts: Buffer[] = [];
  let size = 0;
  for await (const part of request) {
    size += (part as Buffer).length;
    if (size > MOST_BODY) throw new Error('the body is too long');
    parts.push(part as Buffer);
  }
  return Buffer.concat(parts).toString('utf8');
}

function find(routes: Routes, method: string, path: string): Handler | undefined {
  const exact = routes[`${method} ${path}`];
  if (exact) return exact;
  return routes[`${method} ${path.slice(0, path.lastIndexOf('/'))}/*`];
}

async function answer(routes: Routes, request: IncomingMessage, response: ServerResponse): Promise<void> {
  const url = new URL(request.url ?? '/', 'http://stand-in');
  let result: Answer;
  try {
    const handler = find(routes, request.method ?? 'GET', url.pathname);
    result = handler
      ? await handler({ path: url.pathname, query: url.searchParams, body: await readBody(request) })
      : { status: 404, json: { error: 'there is nothing here' } };
  } catch (error) {
    result = { status: 500, json: { error: (error as Error).message } };
  }
  response.writeHead(result.status, { 'content-type': 'application/json' }).end(JSON.stringify(result.json));
}

/** Starts on 127.0.0.1; port 0 takes a free one. */
export async function serve(routes: Routes, port: number): Promise<{ port: number; close(): Promise<void> }> {
  const server: Server = createServer((request, response) => void answer(routes, request, response));
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
