import { escapeHtml } from '../text/html.ts';
import { policyElement } from '../text/page-policy.ts';
import { markdownToHtml } from './markdown-html.ts';

/** A package as a page shows it. */
export type ShownPackage = {
  readonly speaks: string;
  readonly name: string;
  readonly version: string;
  readonly description: string;
  /** Markdown; null without one. */
  readonly readme: string | null;
  /** Names of pointers with the versions they lead to. */
  readonly pointers: readonly (readonly [string, string])[];
  readonly files: readonly {
    readonly version: string;
    readonly file: string;
    readonly digest: string;
    readonly note: string | null;
  }[];
};

/** The page of a package, in HTML without scripts; everything from outside is escaped. */
export function renderPackagePage(shown: ShownPackage): string {
  const { name, version, description, readme, pointers, files, speaks } = shown;
  const rows = files.map(
    (file) =>
      `<tr><td>${escapeHtml(file.version)}</td><td>${escapeHtml(file.file)}${file.note === null ? '' : `<br><b>${escapeHtml(file.note)}</b>`}</td><td><code>${escapeHtml(file.digest)}</code></td></tr>`,
  );
  const tags = pointers.map(([pointer, to]) => `<li>${escapeHtml(pointer)} is ${escapeHtml(to)}</li>`);
  return page(
    `${name} ${version}`,
    `<p class="from"><a href="/pages/">Stand-in</a>, ${escapeHtml(speaks)}</p>
<h1>${escapeHtml(name)} <span>${escapeHtml(version)}</span></h1>
<p class="lead">${description === '' ? '<i>There is no description.</i>' : escapeHtml(description)}</p>
${tags.length === 0 ? '' : `<ul>${tags.join('')}</ul>`}
<section>${readme === null ? '<p><i>There is no readme.</i></p>' : markdownToHtml(readme)}</section>
<h2>Files</h2>
<table><tr><th>version</th><th>file</th><th>digest</th></tr>${rows.join('')}</table>`,
  );
}

/** The list of all packages. */
export function renderListPage(all: readonly { readonly speaks: string; readonly name: string }[]): string {
  const items = all.map(
    ({ speaks, name }) =>
      `<tr><td><a href="/pages/${speaks}/${encodeURIComponent(name)}">${escapeHtml(name)}</a></td><td>${speaks}</td></tr>`,
  );
  const table = `<table><tr><th>package</th><th>protocol</th></tr>${items.join('')}</table>`;
  return page(
    'Stand-in',
    `<h1>Stand-in</h1>
<p class="lead">What was delivered to this machine. Nothing here leaves it.</p>
${items.length === 0 ? '<p>Nothing yet.</p>' : table}`,
  );
}

function page(title: string, body: string): string {
  return `<!doctype html>
<html lang="en">
<head><meta charset="utf-8">${policyElement}<meta name="viewport" content="width=device-width"><title>${escapeHtml(title)}</title>
<style>${style}</style></head>
<body><main>
${body}
</main></body>
</html>
`;
}

const style =
  'body{margin:0;background:#f4f1e8;color:#20303a;font:16px/1.55 Georgia,"DejaVu Serif",serif}' +
  'main{max-width:58rem;margin:2rem auto;padding:1.5rem 2.5rem;background:#fffdf8;border-left:6px solid #2d6a73}' +
  'h1{font-size:1.9rem;margin:.2rem 0}h1 span{color:#2d6a73;font-weight:normal}h2{font-size:1.15rem;margin-top:2rem}' +
  '.from{margin:0;color:#66757d}.lead{font-size:1.1rem}section{border-top:1px solid #ddd6c6;margin-top:1rem;padding-top:.5rem}' +
  'section h1{font-size:1.35rem}table{border-collapse:collapse;width:100%}' +
  'th{text-align:left;font-weight:normal;color:#66757d}td,th{padding:.3rem 1.2rem .3rem 0;border-bottom:1px solid #e6e0d2;vertical-align:top}' +
  'td:nth-child(-n+2){white-space:nowrap}' +
  'code,pre{font:.85rem/1.45 "DejaVu Sans Mono",monospace}td code{overflow-wrap:anywhere}pre{background:#f1ede2;padding:.7rem;overflow:auto}a{color:#1d5f85}';
