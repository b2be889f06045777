/**
 * How a text message is counted: GSM 03.38 (7 bits a character, some take two)
 * where every character is in its alphabet, otherwise UCS-2. Parts are shorter
 * than a single message, because each carries a header (3GPP TS 23.040).
 */
const BASIC =
  '@£$¥èéùìòÇ\nØø\rÅåΔ_ΦΓΛΩΠΨΣΘΞÆæßÉ !"#¤%&\'()*+,-./0123456789:;<=>?¡ABCDEFGHIJKLMNOPQRSTUVWXYZÄÖÑÜ§¿abcdefghijklmnopqrstuvwxyzäöñüà';
const EXTENDED = '^{}\\[~]|€';

export interface SmsSize {
  alphabet: 'GSM-7' | 'UCS-2';
  /** Units used: 7-bit characters or 16-bit ones. */
  used: number;
  parts: number;
  /** Units that still fit before another part is needed. */
  left: number;
}

export function smsSize(text: string): SmsSize {
  const gsm = [...text].every((c) => BASIC.includes(c) || EXTENDED.includes(c));
  const used = gsm ? [...text].reduce((n, c) => n + (EXTENDED.includes(c) ? 2 : 1), 0) : text.length;
  const [single, each] = gsm ? [160, 153] : [70, 67];
  const parts = used <= single ? 1 : Math.ceil(used / each);
  const room = parts === 1 ? single : parts * each;
  return { alphabet: gsm ? 'GSM-7' : 'UCS-2', used, parts, left: room - used };
}
