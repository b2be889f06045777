/** The HTML part of an email, made from its text: paragraphs, line breaks and its own links. Everything else is shown as it stands. */
import type { Part } from './links.ts';

const ENTITIES: Record<string, string> = { '&': '&amp;', '<': '&lt;', '>': '&gt;', '"': '&quot;', "'": '&#39;' };

export function escapeHtml(text: string): string {
  return text.replace(/[&<>"']/g, (c) => ENTITIES[c] ?? c);
}

export interface HtmlParts {
  subject: string;
  /** Shown by mail readers beside the subject; hidden in the message itself. */
  preview: string;
  text: readonly Part[];
  /** Where a link of the text leads in this copy. */
  href: (url: string) => string;
  /** Address of the invisible picture that tells of opening; absent: none. */
  pixel?: string;
  /** Address of a link that no person can see: whoever follows it is a machine. Absent: none. */
  trap?: string;
  /** Address of the unsubscribe page; absent: no line about it. */
  unsubscribe?: string;
  sender: string;
}

/** A whole HTML document. */
export function emailHtml(parts: HtmlParts): string {
  const paragraphs = parts.text
    .map((part) => inline(part, parts.href))
    .join('')
    .replace(/\r\n?/g, '\n')
    .split(/\n{2,}/)
    .map((p) => p.trim())
    .filter(Boolean)
    .map((p) => `<p style="margin:0 0 16px">${p.replace(/\n/g, '<br>\n')}</p>`);
  const hidden = 'display:none;max-height:0;overflow:hidden';
  const preview = parts.preview ? `<div style="${hidden}">${escapeHtml(parts.preview)}</div>` : '';
  const footer = parts.unsubscribe
    ? `<p style="margin:32px 0 0;padding-top:12px;border-top:1px solid #d8d3c5;font-size:12px;color:#566264">${escapeHtml(parts.sender)} · <a href="${escapeHtml(parts.unsubscribe)}" style="color:#566264">Unsubscribe</a></p>`
    : '';
  const pixel = parts.pixel
    ? `<img src="${escapeHtml(parts.pixel)}" width="1" height="1" alt="" style="display:block">`
    : '';
  const trap = parts.trap
    ? `<a href="${escapeHtml(parts.trap)}" style="${hidden}" aria-hidden="true" tabindex="-1"></a>`
    : '';
  return `<!doctype html>
<html lang="en"><head><meta charset="utf-8"><title>${escapeHtml(parts.subject)}</title></head>
<body style="margin:0;padding:24px;background:#ffffff;color:#1c2628;font:16px/1.5 sans-serif">${preview}
<div style="max-width:600px">${paragraphs.join('\n')}${footer}</div>${trap}${pixel}
</body></html>`;
}

function inline(part: Part, href: (url: string) => string): string {
  if ('words' in part) return escapeHtml(part.words);
  return `<a href="${escapeHtml(href(part.link))}" style="color:#0f5966">${escapeHtml(part.link)}</a>`;
}
