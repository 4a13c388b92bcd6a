import { escapeHtml } from '../../text/html.ts';

/** A link of a page: its attributes as they are written, and its text. */
export type Anchor = { readonly attributes: string; readonly label: string };

const attributeText = `(?:[^>"']|"[^"]*"|'[^']*')*`;

/** The links of a page in their order (PEP 503: "The text of the anchor tag MUST be the filename"); null for a text that is no page. */
export function parsePage(text: string): Anchor[] | null {
  if (!/<(?:!doctype html|html|a)\b/i.test(text)) return null;
  const anchors = text.matchAll(new RegExp(`<a\\s(${attributeText})>([^<]*)</a>`, 'gi'));
  return [...anchors].map(([, attributes = '', label = '']) => ({
    attributes: attributes.trim(),
    label: unescapeHtml(label.trim()),
  }));
}

/** The value of an attribute, '' for one without a value; null for none. */
export function attributeOf({ attributes }: Anchor, name: string): string | null {
  for (const [, key = '', , double, single, bare] of attributes.matchAll(
    /([^\s=>"']+)(\s*=\s*(?:"([^"]*)"|'([^']*)'|([^\s"'>]+)))?/g,
  ))
    if (key.toLowerCase() === name) return unescapeHtml(double ?? single ?? bare ?? '');
  return null;
}

/** A link with one attribute more; one of that name stays as it is. */
export function withAttribute(anchor: Anchor, name: string, value: string): Anchor {
  if (attributeOf(anchor, name) !== null) return anchor;
  return { ...anchor, attributes: `${anchor.attributes} ${name}="${escapeHtml(value)}"` };
}

/** A page of links, one a line; links of others keep the attributes that they came with. */
export function formatPage(title: string, anchors: readonly Anchor[]): string {
  const lines = anchors.map(({ attributes, label }) => `<a ${attributes}>${escapeHtml(label)}</a><br>`);
  return [
    '<!doctype html>',
    '<html lang="en">',
    `<head><meta charset="utf-8"><meta name="pypi:repository-version" content="1.0"><title>${escapeHtml(title)}</title></head>`,
    '<body>',
    `<h1>${escapeHtml(title)}</h1>`,
    ...lines,
    '</body>',
    '</html>',
    '',
  ].join('\n');
}

const named: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', apos: "'" };

function unescapeHtml(text: string): string {
  return text.replace(/&(?:#\d{1,7}|#x[0-9a-f]{1,6}|\w+);/gi, (whole) => {
    const name = whole.slice(1, -1);
    if (!name.startsWith('#')) return named[name] ?? whole;
    const code = /^#x/i.test(name) ? Number.parseInt(name.slice(2), 16) : Number(name.slice(1));
    return code > 0x10ffff ? whole : String.fromCodePoint(code);
  });
}
