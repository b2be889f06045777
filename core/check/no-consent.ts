/** Texts where nobody has given consent for them, and nothing here asks for it. */
import { conditionsOf } from '../journey/facts.ts';
import { remark, type Check, type Finding } from './finding.ts';

export const noConsent: Check = (journey, steps, { canBeTexted }) => {
  if (canBeTexted !== 0) return [];
  const asked =
    conditionsOf(journey).some((c) => 'consent' in c && c.consent === 'sms') ||
    steps.some(({ step }) => step.kind === 'consent' && step.channel === 'sms');
  if (asked) return [];
  const text = steps.find(({ step }) => step.kind === 'sms' && !step.service);
  return (
    text
      ? [
          remark(
            text.step.key,
            'no-consent',
            'Nobody has given consent for texts, so this one goes out to nobody.',
            'Ask for it before, with a consent step or a form.'
          )
        ]
      : []
  ) satisfies Finding[];
};
