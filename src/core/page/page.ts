import type { Description } from '../form/description.ts';
import { objectOf, textOf } from '../manifest/fields.ts';
import type { Artifact } from '../rule/rule.ts';
import { renderMarkdownPage } from './markdown-page.ts';

/** How a page's text is written. */
export type PageFormat = 'markdown' | 'rst' | 'plain';

/** The text that an index would show, and how it would read it. */
export type ShownReadme = { readonly path: string; readonly text: string; readonly format: PageFormat };

/** @returns `problem`: why the index shows none, when there is something to say. */
export function shownReadme({ form, readme, manifest, texts, prefix }: Artifact): {
  readonly readme: ShownReadme | null;
  readonly problem: string | null;
} {
  if (form === 'wheel' || form === 'sdist') {
    if (readme === null || readme.path !== manifest?.path)
      return { readme: null, problem: 'the metadata holds no description' };
    return {
      readme: { ...readme, format: pythonFormat(textOf(manifest.json['Description-Content-Type'])) },
      problem: null,
    };
  }
  if (form === 'nupkg') {
    const named = textOf(manifest?.json['readme'] ?? null)?.replaceAll('\\', '/') ?? null;
    if (named === null) return { readme: null, problem: 'the nuspec names no <readme>, so the page shows none' };
    const text = texts.get(named);
    if (text === undefined)
      return { readme: null, problem: `the nuspec names ${named} as readme, which is not inside` };
    return { readme: { path: named, text, format: 'markdown' }, problem: null };
  }
  if (readme === null) return { readme: null, problem: null };
  // The npm client takes what begins with readme at the top, Markdown whatever its ending.
  return {
    readme: { ...readme, format: readme.path.slice(prefix.length).endsWith('.rst') ? 'plain' : 'markdown' },
    problem: null,
  };
}

/** "Description-Content-Type" of the core metadata specifications: reStructuredText when it is missing. */
function pythonFormat(contentType: string | null): PageFormat {
  const type = contentType?.split(';')[0]?.trim().toLowerCase() ?? '';
  return type === 'text/markdown' ? 'markdown' : type === 'text/plain' ? 'plain' : 'rst';
}

/** The page of an artifact as text: what an index shows at its head, and the readme as it would be rendered. */
export function renderPage(artifact: Artifact): string {
  const { manifest, form } = artifact;
  const { readme, problem } = shownReadme(artifact);
  const head = headOf(form, manifest);
  const body = readme === null ? `(${problem ?? 'no readme: the page is empty'})` : renderBody(readme);
  return `${head.join('\n')}\n\n${body.trim()}\n`;
}

function headOf(form: string, manifest: Description['manifest']): string[] {
  const common = manifest?.common;
  const json = manifest?.json ?? {};
  const rows: [string, string | null][] = [
    ['licence', common?.licence ?? null],
    ['links', linksOf(form, json).join('  ') || null],
    ['keywords', keywordsOf(json)],
    ['runs on', textOf(objectOf(json['engines'])['node']) ?? textOf(json['Requires-Python'])],
    [
      'needs',
      common?.dependencies
        .filter(({ kind }) => kind === 'run')
        .map(({ name, range }) => `${name} ${range}`.trim())
        .join(', ') || null,
    ],
  ];
  return [
    `${common?.name ?? '(no name)'} ${common?.version ?? '(no version)'}`,
    common?.description ?? '(no description)',
    ...rows.flatMap(([label, value]) => (value === null ? [] : [`${label.padEnd(8)}  ${value}`])),
  ];
}

function linksOf(form: string, json: Readonly<Record<string, unknown>>): string[] {
  if (form === 'wheel' || form === 'sdist') return [json['Project-URL'] ?? []].flat().map(String);
  const repository =
    textOf(json['repository']) ??
    textOf(objectOf(json['repository'])['url']) ??
    textOf(objectOf(json['repository'])['@url']);
  return [textOf(json['homepage']), textOf(json['projectUrl']), repository].filter((one) => one !== null);
}

function keywordsOf(json: Readonly<Record<string, unknown>>): string | null {
  if (Array.isArray(json['keywords'])) return json['keywords'].map(String).join(', ');
  return textOf(json['Keywords']) ?? textOf(json['tags']);
}

function renderBody({ text, format }: ShownReadme): string {
  return format === 'markdown' ? renderMarkdownPage(text) : text.trimEnd();
}
