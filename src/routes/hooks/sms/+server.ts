import { json } from '@sveltejs/kit';
import { config, db } from '$server/app.ts';
import { now } from '$server/workspace/clock.ts';
import { halted } from '$server/journeys/brake.ts';
import { workspaceSecret } from '$server/intake/intake.ts';
import { receivedText, textReported } from '$server/intake/texts.ts';
import { deliveryReport, inboundText, sendSms, verifyWebhook } from '$server/sms/gateway.ts';
import type { RequestHandler } from './$types';

/** The gateway tells of a text that came in. Signed; anything else is not found. */
export const POST: RequestHandler = async ({ request }) => {
  const body = await request.text();
  const signature = request.headers.get('x-handset-signature');
  if (!verifyWebhook(config().SMS_SECRET, body, signature, Math.floor(Date.now() / 1000))) {
    return json({ message: 'There is nothing at this address.' }, { status: 404 });
  }
  let given: unknown;
  try {
    given = JSON.parse(body);
  } catch {
    return json({ message: 'The body is not JSON.' }, { status: 400 });
  }
  const report = deliveryReport.safeParse(given);
  if (report.success) {
    const ours = await textReported(db(), await workspaceSecret(db()), report.data);
    return json({ result: ours ? 'taken' : 'unknown' }, { status: 202 });
  }
  const read = inboundText.safeParse(given);
  if (!read.success)
    return json({ message: 'The body is not an inbound text.', issues: read.error.issues }, { status: 400 });
  const received = await receivedText(db(), read.data);
  if (received.as === 'help' && received.say !== null && (await halted(db())).since === null) {
    // The gateway drops a repeat by its id; where it cannot be reached, it tells us of the text once more.
    const { SMS_URL, SMS_FROM } = config();
    const help = {
      id: `help-${read.data.id}`,
      from: SMS_FROM,
      to: read.data.from,
      text: received.say,
      at: await now(db())
    };
    const handed = await sendSms(SMS_URL, help);
    if (!handed.ok) return json({ message: handed.error }, { status: 502 });
  }
  return json({ result: received.as }, { status: 202 });
};
