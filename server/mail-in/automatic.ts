/**
 * Automatic answers: of machines, and of people's mail programs while they are away. By their headers (RFC 3834, and those used
 * before it); where there are none, by the subject and the first words that such answers have in the languages of mail programs.
 */
import type { ParsedMail } from 'mailparser';

const headerText = (mail: ParsedMail, name: string): string => {
  const found = mail.headerLines.find((h) => h.key === name);
  return found
    ? found.line
        .slice(found.line.indexOf(':') + 1)
        .trim()
        .toLowerCase()
    : '';
};

/** How such answers are titled. What they answer stands behind it, or before it in brackets. */
const SUBJECT = new RegExp(
  `^(?:re: ?|aw: ?)?(?:\\[[^\\]]{0,40}\\] ?)?(?:${[
    'automatic reply',
    'auto(?:matic)?[ -]?(?:reply|response|answer)',
    'out of (?:the )?office',
    '(?:on )?(?:annual |parental |maternity )?leave:',
    'abwesenheit(?:snotiz|sassistent|smeldung)?',
    'abwesend',
    'automatische (?:antwort|r[üu]ckmeldung)',
    'nicht im (?:b[üu]ro|haus)',
    'r[ée]ponse automatique',
    'absen(?:ce|t)(?:e)?\\b(?: du bureau)?',
    '(?:notification|message) d.absence',
    'respuesta autom[áa]tica',
    '(?:estoy )?(?:fuera|ausente) de la oficina',
    'ausencia',
    'ausente',
    'freagra (?:uathoibr[íi]och|uathoibrithe)',
    'as (?:an )?oifig',
    'risposta automatica',
    'fuori (?:ufficio|sede)',
    'automatisch(?:e)? antwoord',
    'afwezig(?:heid)?',
    'resposta autom[áa]tica',
    'fora do escrit[óo]rio',
    'autosvar|automatisk svar',
    'frånvaro|fravær',
    'automaattinen vastaus|poissa',
    'odpowied[źz] automatyczna|nieobecno[śs][ćc]',
    'automatick[áa] odpov[ěe][ďd]',
    'автоматический ответ',
    '自動応答|自动回复|自動回覆'
  ].join('|')})`,
  'iu'
);

/** How such answers begin, where nothing else tells. A sentence of thanks may stand before it. */
const OPENING = new RegExp(
  `^(?:(?:hello|hi|dear|thank|many thanks|hallo|guten tag|liebe|sehr geehrte|danke|vielen dank|bonjour|madame|merci|hola|buenos|estimad|gracias|dia duit|a chara|go raibh)[^.!\\n]{0,120}[.!,\\n]\\s*){0,3}(?:${[
    "i(?:'|’)?(?: a)?m (?:currently |presently )?(?:out of (?:the )?office|away from (?:the office|my desk|my email)|on (?:annual |parental |maternity |sick )?leave|on holidays?|on vacation|away until|out until)",
    'i will be (?:out of (?:the )?office|away)',
    'this is an automat',
    '(?:ich bin|wir sind) (?:derzeit |zurzeit |zur zeit |momentan |aktuell |heute |bis (?:zum )?[^!?\\n]{1,40} |ab [^!?\\n]{1,40} )?(?:nicht (?:im (?:b[üu]ro|haus|hause)|erreichbar|da)|abwesend|im urlaub|au[ßs]er haus)',
    'dies ist eine automati',
    'je suis (?:actuellement |pr[ée]sentement )?(?:absente?|en (?:cong[ée]s?|vacances|d[ée]placement)|hors du bureau)',
    'je serai absente?',
    'ceci est (?:une r[ée]ponse|un message) automatique',
    '(?:actualmente )?(?:estoy|estar[ée]) (?:actualmente )?(?:fuera de la oficina|ausente|de vacaciones|de baja)',
    '(?:este|esta) es (?:un mensaje|una respuesta) autom[áa]tic',
    '(?:t[áa] m[ée]|beidh m[ée]|t[áa]im) (?:as (?:an )?oifig|as l[áa]thair|ar saoire)',
    'is freagra uathoibr',
    'sono (?:attualmente )?(?:fuori (?:ufficio|sede)|assente|in ferie)',
    'ik ben (?:momenteel )?(?:afwezig|niet op kantoor|met vakantie)',
    'estou (?:ausente|fora do escrit[óo]rio|de f[ée]rias)'
  ].join('|')})`,
  'iu'
);

/** Whether nobody wrote it: a machine did, or a mail program while somebody is away. `words`: what stands in it of its own. */
export function isAutomatic(mail: ParsedMail, words: string): boolean {
  const submitted = headerText(mail, 'auto-submitted');
  if (submitted !== '' && submitted !== 'no' && !submitted.startsWith('no;')) return true;
  if (['x-autoreply', 'x-autorespond', 'x-auto-reply'].some((name) => headerText(mail, name) !== '')) return true;
  if (/^(?:auto_reply|bulk|junk|list)\b/.test(headerText(mail, 'precedence'))) return true;
  if (headerText(mail, 'list-id') !== '' || headerText(mail, 'x-auto-response-suppress').includes('all')) return true;
  return SUBJECT.test((mail.subject ?? '').slice(0, 200)) || OPENING.test(words.slice(0, 500).trimStart());
}
