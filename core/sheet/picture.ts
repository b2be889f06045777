/**
 * The whole sheet as a picture that stands by itself: SVG text, with the ruler, the lanes and every card, for documents and
 * for printing. Marks say what differs from another edition, by sign and word. Pure: a document gives text.
 */
import type { Journey } from '../journey/schema.ts';
import { isOff, kindOf } from '../steps/index.ts';
import { entryWords, ruleWords } from '../tell/condition.ts';
import { namingOf } from '../tell/read-through.ts';
import { anchorOf } from './anchor.ts';
import { gapWords } from './gap-words.ts';
import { CARD_HEIGHT, CARD_WIDTH, layoutSheet, ROW_HEIGHT, type Card } from './layout.ts';

/** What became of a step between two editions. */
export type Mark = 'added' | 'removed' | 'changed' | 'moved';

const SIGNS: Record<Mark, string> = { added: '+ added', removed: '− removed', changed: '~ changed', moved: '→ moved' };

const LANES = 220;
const HEAD = 38;
const TITLE = 44;
const INK = '#1C2628';
const SOFT = '#566264';
const RULE = '#D8D3C5';
const MARKED = '#B37400';

/** Characters that a line of so many px holds, about. */
const fits = (px: number, size: number): number => Math.floor(px / (size * 0.52));

const escape = (text: string): string =>
  text
    .replace(/[&<>"']/g, (c) => `&#${c.charCodeAt(0)};`)
    .replace(/[\u0000-\u0008\u000b\u000c\u000e-\u001f\ufffe\uffff]/g, '');

/** Cut to what fits; the whole of it stands in a title beside it. */
function words(
  text: string,
  x: number,
  y: number,
  px: number,
  style: { size?: number; soft?: boolean; bold?: boolean } = {}
): string {
  const { size = 13, soft = false, bold = false } = style;
  const most = fits(px, size);
  const cut = [...text].length > most ? `${[...text].slice(0, Math.max(1, most - 1)).join('')}…` : text;
  const title = cut === text ? '' : `<title>${escape(text)}</title>`;
  return `<text x="${x}" y="${y}" font-size="${size}" fill="${soft ? SOFT : INK}"${bold ? ' font-weight="650"' : ''}>${title}${escape(cut)}</text>`;
}

const line = (x1: number, y1: number, x2: number, y2: number, stroke = INK, more = ''): string =>
  `<line x1="${x1}" y1="${y1}" x2="${x2}" y2="${y2}" stroke="${stroke}"${more}/>`;

function card({ step, x, y }: Card, mark: Mark | undefined): string {
  const shown = kindOf(step).card(step);
  const [left, top] = [LANES + x, TITLE + HEAD + y - CARD_HEIGHT / 2];
  const text = isOff(step) ? `off: ${shown.line}` : shown.line;
  return [
    `<g><title>${escape(`${step.kind}: ${shown.title}${shown.line ? `, ${shown.line}` : ''}`)}</title>`,
    `<rect x="${left}" y="${top}" width="${CARD_WIDTH}" height="${CARD_HEIGHT}" fill="#fff" stroke="${mark ? MARKED : INK}"${mark ? ' stroke-width="2"' : ''}${isOff(step) ? ' stroke-dasharray="4 3"' : ''}/>`,
    words(`${step.kind} · ${shown.title}`, left + 8, top + 16, CARD_WIDTH - 14, { bold: true, size: 12 }),
    words(text, left + 8, top + 31, CARD_WIDTH - 14, { soft: true, size: 11.5 }),
    mark ? words(SIGNS[mark], left + 2, top - 4, CARD_WIDTH, { size: 11, bold: true }) : '',
    '</g>'
  ].join('');
}

/** A journey's sheet as SVG. `marks`: by key of the step. */
export function sheetPicture(journey: Journey, marks: ReadonlyMap<string, Mark> = new Map()): string {
  const anchor = anchorOf(journey);
  const layout = layoutSheet(journey.lane, undefined, anchor);
  const name = namingOf(journey);
  const [width, height] = [LANES + layout.width + 8, TITLE + HEAD + layout.height + 8];
  const top = TITLE + HEAD;
  const parts = [
    `<rect width="${width}" height="${height}" fill="#F4F2EB"/>`,
    words(journey.name ?? journey.key, 12, 28, width - 24, { size: 18, bold: true }),
    `<rect y="${TITLE}" width="${width}" height="${HEAD}" fill="#fff"/>`,
    words('Lanes', 12, TITLE + 24, LANES, { soft: true, size: 12 }),
    ...layout.moments.map((m) => words(m.label, LANES + m.x + 8, TITLE + 24, m.width - 10, { bold: true })),
    line(0, top, width, top),
    ...layout.moments.map((m) => line(LANES + m.x + m.width, TITLE, LANES + m.x + m.width, height, RULE)),
    ...layout.rows.flatMap((row) => {
      const y = top + row.y;
      const x = 12 + row.depth * 16;
      const why = row.when ? ruleWords(row.when, name) : row.openedBy === null ? entryWords(journey.entry) : '';
      const two = why !== '' && why !== row.label;
      return [
        line(0, y + ROW_HEIGHT / 2, width, y + ROW_HEIGHT / 2, RULE),
        words(row.label, x, y + (two ? -2 : 4), LANES - x - 8, { bold: row.openedBy === null }),
        two ? words(why, x, y + 13, LANES - x - 8, { soft: true, size: 11.5 }) : ''
      ];
    }),
    line(LANES, TITLE, LANES, height, SOFT),
    ...layout.joins.map((j) =>
      line(LANES + j.fromX, top + j.y, LANES + j.x, top + j.y, RULE, ' stroke-dasharray="1 4"')
    ),
    ...layout.brackets.map((b) => line(LANES + b.x, top + b.y1, LANES + b.x, top + b.y2, SOFT)),
    ...layout.gaps.map((g) => line(LANES + g.x1, top + g.y, LANES + g.x2, top + g.y)),
    ...layout.joins.map((j) => line(LANES + j.x, top + j.y2, LANES + j.x, top + j.y)),
    ...layout.gaps
      .filter((g) => g.waits.length)
      .map((g) => {
        const text = gapWords(g.waits, anchor);
        const middle = LANES + (g.x1 + g.x2) / 2;
        const wide = text.length * 6.4 + 8;
        return `<rect x="${middle - wide / 2}" y="${top + g.y - 9}" width="${wide}" height="18" fill="#F4F2EB"/><text x="${middle}" y="${top + g.y + 4}" font-size="12" text-anchor="middle" fill="${INK}">${escape(text)}</text>`;
      }),
    ...layout.cards.map((c) => card(c, marks.get(c.step.key))),
    line(
      LANES + layout.end.x,
      top + layout.end.y - 12,
      LANES + layout.end.x,
      top + layout.end.y + 12,
      INK,
      ' stroke-width="3"'
    ),
    words('finish', LANES + layout.end.x + 7, top + layout.end.y + 4, 60, { soft: true, size: 12 })
  ];
  return `<svg xmlns="http://www.w3.org/2000/svg" width="${width}" height="${height}" viewBox="0 0 ${width} ${height}" font-family="'Atkinson Hyperlegible Next Variable','Atkinson Hyperlegible',sans-serif" role="img" aria-label="${escape(`Sheet of ${journey.name ?? journey.key}`)}">${parts.join('')}</svg>`;
}
