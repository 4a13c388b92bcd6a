import type { Artifact } from '../form/artifact.ts';
import type { PageDefinition, ShownReadme } from '../form/definition.ts';
import { formDefinitions } from '../form/definitions.ts';
import type { Description } from '../form/description.ts';
import { objectOf, textOf } from '../manifest/fields.ts';
import type { Form } from '../name/form.ts';
import { renderMarkdownPage } from './markdown-page.ts';

/** The readme that an index shows. @returns `problem`: why the index shows none, when there is something to say. */
export function shownReadme(artifact: Artifact): ReturnType<PageDefinition['readme']> {
  const { page } = formDefinitions[artifact.form];
  if (page !== null) return page.readme(artifact);
  const { readme } = artifact;
  return { readme: readme === null ? null : { ...readme, format: 'markdown' }, problem: null };
}

/** The page of an artifact as text: what an index shows at its head, and the readme as it would be rendered. */
export function renderPage(artifact: Artifact): string {
  const { manifest, form } = artifact;
  const { readme, problem } = shownReadme(artifact);
  const head = headOf(form, manifest);
  const body = readme === null ? `(${problem ?? 'no readme: the page is empty'})` : renderBody(readme);
  return `${head.join('\n')}\n\n${body.trim()}\n`;
}

function headOf(form: Form, manifest: Description['manifest']): string[] {
  const common = manifest?.common;
  const json = manifest?.json ?? {};
  const rows: [string, string | null][] = [
    ['licence', common?.licence ?? null],
    ['links', (formDefinitions[form].page?.links(json) ?? []).join('  ') || null],
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

function keywordsOf(json: Readonly<Record<string, unknown>>): string | null {
  if (Array.isArray(json['keywords'])) return json['keywords'].map(String).join(', ');
  return textOf(json['Keywords']) ?? textOf(json['tags']);
}

function renderBody({ text, format }: ShownReadme): string {
  return format === 'markdown' ? renderMarkdownPage(text) : text.trimEnd();
}
