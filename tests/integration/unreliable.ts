/** Neighbours that misbehave on purpose: a mail server whose line is cut, a gateway that lies or says nothing, a hook that falters. */
import { createServer as createHttp, request as ask, type IncomingMessage, type Server as HttpServer } from 'node:http';
import { connect, createServer, type AddressInfo, type Server, type Socket } from 'node:net';

/** Even numbers below n, always the same for a seed. */
export function draws(seed: number): (n: number) => number {
  let state = seed % 2147483647 || 1;
  return (n) => (state = (state * 48271) % 2147483647) % n;
}

const listening = async (server: Server | HttpServer): Promise<number> => {
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return (server.address() as AddressInfo).port;
};

/** Where a line is cut: before the words are asked for, in the middle of them, or once they are taken and nobody was told. */
const PHASES = ['before DATA', 'inside DATA', 'after the dot'] as const;
export type Phase = (typeof PHASES)[number];

export interface CutLine {
  port: number;
  /** How often it was cut in each phase. */
  cuts: Record<Phase, number>;
  /** Message ids that were taken while the sender never heard so. */
  unheard: Set<string>;
  /** One of so many mails is cut; 0 for none. */
  setTrouble(oneOf: number): void;
  close(): Promise<void>;
}

/** A line to a mail server that breaks now and then. */
export async function cutLine(target: number, draw: (n: number) => number): Promise<CutLine> {
  const cuts: Record<Phase, number> = { 'before DATA': 0, 'inside DATA': 0, 'after the dot': 0 };
  const unheard = new Set<string>();
  const open = new Set<Socket>();
  let oneOf = 0;
  const server = createServer((client) => {
    const there = connect(target, '127.0.0.1');
    for (const socket of [client, there]) {
      open.add(socket);
      socket.on('error', () => undefined).on('close', () => (open.delete(socket), client.destroy(), there.destroy()));
    }
    let phase: Phase | null = null;
    let words: string | null = null;
    const cut = (): void => {
      if (phase) cuts[phase]++;
      client.destroy();
      there.destroy();
    };
    client.on('data', (data) => {
      const said = data.toString('latin1');
      if (words === null && /^DATA\r\n/im.test(said)) {
        phase = oneOf && draw(oneOf) === 0 ? PHASES[draw(PHASES.length)]! : null;
        words = '';
        if (phase === 'before DATA') return cut();
      } else if (words !== null) {
        words += said;
        if (phase === 'inside DATA') {
          there.write(data.subarray(0, Math.floor(data.length / 2)));
          return cut();
        }
        if (words.includes('\r\n.\r\n')) {
          if (phase === 'after the dot') {
            const id = /^message-id: *(<[^>]+>)/im.exec(words)?.[1];
            // The mail is taken before the line breaks.
            there.removeAllListeners('data');
            there.on('data', () => {
              if (id) unheard.add(id);
              cut();
            });
          }
          words = null;
        }
      }
      there.write(data);
    });
    there.on('data', (data) => void client.write(data));
  });
  const port = await listening(server);
  return {
    port,
    cuts,
    unheard,
    setTrouble: (n) => void (oneOf = n),
    async close() {
      for (const socket of open) socket.destroy();
      await new Promise((resolve) => server.close(resolve));
    }
  };
}

const LIES = ['refuses', 'takes and says it did not', 'takes and hangs up', 'answers twice'] as const;
export interface Liar {
  port: number;
  told: Record<(typeof LIES)[number], number>;
  setTrouble(oneOf: number): void;
  close(): Promise<void>;
}

/** A gateway before the real one: what it answers is not always what it did. */
export async function lyingGateway(target: number, draw: (n: number) => number): Promise<Liar> {
  const told = { refuses: 0, 'takes and says it did not': 0, 'takes and hangs up': 0, 'answers twice': 0 };
  let oneOf = 0;
  const server = createHttp((request, response) => {
    const lie = oneOf && draw(oneOf) === 0 ? LIES[draw(LIES.length)]! : null;
    if (lie) told[lie]++;
    void bodyOf(request).then((body) => {
      if (lie === 'refuses') return response.writeHead(500).end('{"error":"not now"}');
      const on = ask(
        {
          host: '127.0.0.1',
          port: target,
          path: request.url,
          method: request.method,
          headers: { ...request.headers, host: `127.0.0.1:${target}`, origin: `http://127.0.0.1:${target}` }
        },
        (answer) =>
          void bodyOf(answer).then((said) => {
            if (lie === 'takes and hangs up') return request.socket.destroy();
            if (lie === 'takes and says it did not') return response.writeHead(500).end('{"error":"lost it"}');
            response.writeHead(answer.statusCode ?? 500, { 'content-type': 'application/json' }).end(said);
            if (lie === 'answers twice')
              request.socket.write(`HTTP/1.1 202 Accepted\r\ncontent-length: ${said.length}\r\n\r\n${said}`);
          })
      );
      on.on('error', () => response.destroy());
      on.end(body);
    });
  });
  return { port: await listening(server), told, setTrouble: (n) => void (oneOf = n), close: () => ended(server) };
}

export interface Hook {
  url: string;
  /** How often each call came, by its id. */
  calls: Map<string, number>;
  setTrouble(oneOf: number): void;
  close(): Promise<void>;
}

/** Where calls go: it takes them, and does not always say so. */
export async function falteringHook(draw: (n: number) => number): Promise<Hook> {
  const calls = new Map<string, number>();
  let oneOf = 0;
  const server = createHttp((request, response) => {
    void bodyOf(request).then(() => {
      const id = String(request.headers['webhook-id']);
      calls.set(id, (calls.get(id) ?? 0) + 1);
      const falters = oneOf && draw(oneOf) === 0 ? draw(3) : -1;
      if (falters === 0) request.socket.destroy();
      else response.writeHead(falters > 0 ? 503 : 200).end('{}');
    });
  });
  const port = await listening(server);
  return {
    url: `http://127.0.0.1:${port}/hook`,
    calls,
    setTrouble: (n) => void (oneOf = n),
    close: () => ended(server)
  };
}

const ended = async (server: HttpServer): Promise<void> => {
  server.closeAllConnections();
  await new Promise((resolve) => server.close(resolve));
};

async function bodyOf(message: IncomingMessage): Promise<string> {
  let body = '';
  for await (const part of message) body += String(part);
  return body;
}
