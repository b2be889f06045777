import { json } from '@sveltejs/kit';
import { config, db } from '$server/app.ts';
import { receivedText } from '$server/intake/intake.ts';
import { inboundText, verifyWebhook } from '$server/sms/gateway.ts';
import type { RequestHandler } from './$types';

/** The gateway tells of a text that came in. Signed; anything else is not found. */
export const POST: RequestHandler = async ({ request }) => {
  const body = await request.text();
  const signature = request.headers.get('x-handset-signature');
  if (!verifyWebhook(config().SMS_SECRET, body, signature, Math.floor(Date.now() / 1000))) {
    return json({ message: 'There is nothing at this address.' }, { status: 404 });
  }
  let read;
  try {
    read = inboundText.safeParse(JSON.parse(body));
  } catch {
    return json({ message: 'The body is not JSON.' }, { status: 400 });
  }
  if (!read.success)
    return json({ message: 'The body is not an inbound text.', issues: read.error.issues }, { status: 400 });
  return json({ result: await receivedText(db(), read.data) }, { status: 202 });
};
