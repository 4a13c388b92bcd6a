import { escapeHtml } from '../../text/html.ts';
import { policyElement } from '../../text/page-policy.ts';

/** One file of a static site, by the list of digests in its folder. */
export type ShelfFile = { readonly folder: string; readonly file: string; readonly sha256: string };

/** Reads a list as `sha256sum` writes it: digest, two spaces, name (GNU coreutils, "Digest output modes"). */
export function parseSums(text: string): Map<string, string> {
  const lines = text.split('\n').flatMap((line) => {
    const match = /^([0-9a-f]{64}) [ *](.+)$/.exec(line);
    return match === null ? [] : [[match[2] ?? '', match[1] ?? ''] as const];
  });
  return new Map(lines);
}

/** Writes such a list, sorted by name, so that `sha256sum -c` can check it. */
export function formatSums(sums: ReadonlyMap<string, string>): string {
  return [...sums]
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([name, digest]) => `${digest}  ${name}\n`)
    .join('');
}

/** A page that lists every file with its digest and a link; needs no script and no other file. */
export function renderShelf(title: string, files: readonly ShelfFile[]): string {
  const folders = new Map<string, ShelfFile[]>();
  for (const file of files) folders.set(file.folder, [...(folders.get(file.folder) ?? []), file]);
  const sections = [...folders].map(([folder, own]) => {
    const rows = own.map(
      ({ file, sha256 }) =>
        `<tr><td><a href="${encodePath(folder === '.' ? file : `${folder}/${file}`)}">${escapeHtml(file)}</a></td><td><code>${escapeHtml(sha256)}</code></td></tr>`,
    );
    return `<h2>${escapeHtml(folder)}</h2>\n<table>\n<tr><th>file</th><th>SHA-256</th></tr>\n${rows.join('\n')}\n</table>\n`;
  });
  return `<!doctype html>
<html lang="en">
<meta charset="utf-8">
${policyElement}
<meta name="viewport" content="width=device-width">
<title>${escapeHtml(title)}</title>
<style>${style}</style>
<h1>${escapeHtml(title)}</h1>
<p>Each folder has a list of digests: fetch a file and its <code>SHA256SUMS</code>, then run <code>sha256sum -c --ignore-missing SHA256SUMS</code>.</p>
${sections.join('')}</html>
`;
}

const style =
  'body{font:16px/1.5 system-ui,sans-serif;max-width:70rem;margin:2rem auto;padding:0 1rem;color:#1b2a33;background:#fbfaf6}' +
  'h2{font-size:1rem;margin:2rem 0 .3rem}table{border-collapse:collapse;width:100%}' +
  'th{text-align:left;font-weight:normal;color:#566}td,th{padding:.25rem 1rem .25rem 0;border-bottom:1px solid #ddd8cc}' +
  'code{font-size:.8rem;overflow-wrap:anywhere}a{color:#0b5c7a}';

/** A path as a relative address: every part encoded, the slashes kept. */
function encodePath(path: string): string {
  return path.split('/').map(encodeURIComponent).join('/');
}
