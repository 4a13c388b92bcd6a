import mustache from 'mustache';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { cleanLines, cleanText } from '../text/clean.ts';
import { escapeMarkdown, type Links } from './markdown.ts';
import type { ReleaseNotes } from './section.ts';

/**
 * Notes through a template of the maintainer's own, in the logic-less language of the library: `{{version}}`,
 * `{{#sections}}{{title}}{{#items}}{{summary}}{{/items}}{{/sections}}`. Two braces escape for Markdown, three do not; no
 * control character comes through either.
 * @throws TEMPLATE_INVALID naming what is wrong.
 */
export function renderTemplate({
  template,
  file,
  notes,
  links,
}: {
  readonly template: string;
  readonly file: string;
  readonly notes: readonly ReleaseNotes[];
  readonly links: Links;
}): string {
  const releases = notes.map((note) => ({
    ...note,
    sections: note.sections.map(({ title, items }) => ({
      title,
      items: items.map((item) => ({
        ...item,
        summary: cleanText(item.summary),
        scope: item.scope === null ? null : cleanText(item.scope),
        breaking: item.breaking === null ? null : cleanLines(item.breaking),
        short: item.commit.slice(0, 7),
        address: links.commit === null || item.commit === '' ? null : links.commit.replaceAll('{commit}', item.commit),
      })),
    })),
    contributors: note.contributors.map(cleanText),
  }));
  try {
    const view = releases.length === 1 ? { ...releases[0], releases } : { releases };
    return mustache.render(template, view, {}, { escape: (value: unknown) => escapeMarkdown(String(value)) });
  } catch (cause) {
    throw new BevelstoneError('TEMPLATE_INVALID', {
      message: `invalid template ${file}`,
      why: cause instanceof Error ? cause.message : String(cause),
      fix: 'Close every section that is opened: {{#sections}} … {{/sections}}',
      where: { file },
      cause,
    });
  }
}
