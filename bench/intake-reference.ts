/** The least that could take an opened mail or a followed link: plain node:http, everything that waits in one insert. */
import { createServer } from 'node:http';
import { openPool } from '../server/db/pool.ts';
import { together } from '../server/db/together.ts';

const pool = openPool(process.env['DATABASE_URL'] ?? '', 10, 0);
const store = together<string, void>(async (urls) => {
  await pool.query({
    name: 'store',
    text: 'insert into fetched (url, at) select url, now() from unnest($1::text[]) as t (url)',
    values: [urls]
  });
  return urls.map(() => undefined);
});
const server = createServer((request, response) => {
  const { url = '' } = request;
  store(url).then(
    () =>
      url.startsWith('/o/')
        ? response.writeHead(200, { 'content-type': 'image/gif' }).end('GIF89a')
        : response.writeHead(302, { location: 'https://quillmoor.example/' }).end(),
    () => response.writeHead(500).end()
  );
});
server.listen(Number(process.env['PORT']), '127.0.0.1', () => process.send?.('ready'));
process.on('disconnect', () => process.exit(0));
