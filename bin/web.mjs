// The built web server. Every answer carries the headers that browsers protect people by, whoever gives it: a page, a
// file, an error. What an answer sets itself is stricter, and stays. Ends with whoever started it: their channel closes
// when they end, however they end.
import { createServer } from 'node:http';
import { handler } from '../build/handler.js';

const HEADERS = {
  'x-content-type-options': 'nosniff',
  'referrer-policy': 'same-origin',
  'x-frame-options': 'DENY',
  'content-security-policy': "default-src 'none'; frame-ancestors 'none'; base-uri 'none'; form-action 'none'",
  'cross-origin-opener-policy': 'same-origin',
  'permissions-policy': 'camera=(), geolocation=(), microphone=(), payment=(), usb=()',
  ...(process.env.ORIGIN?.startsWith('https:') ? { 'strict-transport-security': 'max-age=31536000' } : {})
};

const server = createServer((request, response) => {
  for (const [name, value] of Object.entries(HEADERS)) response.setHeader(name, value);
  // "//" names no host: as a path it would be read as one.
  if (request.url?.startsWith('//')) request.url = request.url.replace(/^\/+/, '/');
  handler(request, response, () => response.writeHead(404).end());
});
// Pages are told of changes over connections that stay open.
server.keepAliveTimeout = 65_000;
server.headersTimeout = 20_000;
server.listen(Number(process.env.PORT ?? 3000), process.env.HOST ?? '127.0.0.1');

const end = () => {
  server.close(() => process.exit(0));
  server.closeAllConnections();
  setTimeout(() => process.exit(0), 3000).unref();
};
process.on('SIGTERM', end);
process.on('SIGINT', end);
process.on('disconnect', end);
