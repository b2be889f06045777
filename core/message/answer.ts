/**
 * Replies and answers in one form, so that "Yes!" and "yes" are the same: NFKC,
 * lower case, apostrophes dropped, every other run of punctuation and white
 * space one space, emoji as words of their own, trimmed.
 */
const APOSTROPHES = /['’‘ʼ]/g;
const EMOJI =
  /\p{Regional_Indicator}{2}|[0-9#*]\uFE0F?\u20E3|\p{Extended_Pictographic}\p{Emoji_Modifier}?(?:\u200D\p{Extended_Pictographic}\p{Emoji_Modifier}?)*/gu;
const GAPS = /[\p{P}\p{Z}\p{C}\s]+/gu;

/** The form in which a reply and an answer are compared. */
export function answerForm(text: string): string {
  const plain = text
    .normalize('NFKC')
    .toLowerCase()
    .replace(/\uFE0F/g, '')
    .replace(APOSTROPHES, '');
  let out = '';
  let from = 0;
  // The joiner inside an emoji counts as a control character: emoji are taken out before gaps are closed.
  for (const m of plain.matchAll(EMOJI)) {
    out += `${plain.slice(from, m.index).replace(GAPS, ' ')} ${m[0]} `;
    from = m.index + m[0].length;
  }
  return (out + plain.slice(from).replace(GAPS, ' ')).replace(/ +/g, ' ').trim();
}

/** Whether a reply equals one of the answers (in their form) or begins with it as whole words. An empty reply matches none. */
export function answers(reply: string, wanted: readonly string[]): boolean {
  const said = answerForm(reply);
  return said !== '' && wanted.some((answer) => said === answer || said.startsWith(`${answer} `));
}
