/** A journey as a file of the reader's computer. */
import type { Journey } from '$core/journey/schema.ts';
import { sheetPicture } from '$core/sheet/picture.ts';
import { journeyMarkdown } from '$core/tell/markdown.ts';

export type SaveAs = 'journey' | 'svg' | 'png' | 'markdown';

function download(name: string, content: Blob): void {
  const url = URL.createObjectURL(content);
  const link = document.createElement('a');
  link.href = url;
  link.download = name;
  link.click();
  // The browser has taken it by the next turn.
  setTimeout(() => URL.revokeObjectURL(url), 10_000);
}

/** Twice as many pixels as the sheet has, as printers and dense screens show them; less where a canvas ends before. */
const DENSE = 2;
const MOST_PIXELS = 16_000;

async function png(svg: string): Promise<Blob> {
  const image = new Image();
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`;
  await image.decode();
  const scale = Math.min(DENSE, MOST_PIXELS / Math.max(image.width, image.height));
  const canvas = Object.assign(document.createElement('canvas'), {
    width: Math.ceil(image.width * scale),
    height: Math.ceil(image.height * scale)
  });
  const paper = canvas.getContext('2d');
  if (!paper) throw new Error('This browser cannot draw pictures.');
  paper.scale(scale, scale);
  paper.drawImage(image, 0, 0);
  return new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) =>
        blob ? resolve(blob) : reject(new Error('The sheet is too large for a picture of points: save it as SVG.')),
      'image/png'
    )
  );
}

/** Saves a journey; an error says why that cannot be. */
export async function saveAs(journey: Journey, as: SaveAs): Promise<void> {
  switch (as) {
    case 'journey':
      return download(
        `${journey.key}.journey.json`,
        new Blob([`${JSON.stringify(journey, null, 2)}\n`], { type: 'application/json' })
      );
    case 'svg':
      return download(`${journey.key}.svg`, new Blob([sheetPicture(journey)], { type: 'image/svg+xml' }));
    case 'png':
      return download(`${journey.key}.png`, await png(sheetPicture(journey)));
    case 'markdown':
      return download(`${journey.key}.md`, new Blob([journeyMarkdown(journey)], { type: 'text/markdown' }));
  }
}
