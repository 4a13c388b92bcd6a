import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { escapeMarkdown, renderMarkdown } from '../../../src/core/changelog/markdown.ts';
import { renderDebianStanza, renderPlainText } from '../../../src/core/changelog/plain-text.ts';
import {
  contributorsOf,
  type NoteItem,
  type ReleaseNotes,
  sectionsOf,
  splitItem,
} from '../../../src/core/changelog/section.ts';
import { renderTemplate } from '../../../src/core/changelog/template.ts';
import type { Change } from '../../../src/core/history/change.ts';
import type { Weight } from '../../../src/core/version/weight.ts';

const titles = { feat: 'Added', fix: 'Fixed', perf: 'Faster' };
const noLinks = { commit: null, issue: null };
const item = (more: Partial<NoteItem> = {}): NoteItem => ({
  summary: 'harbour view',
  scope: null,
  commit: '3f2c9e1aaaa',
  breaking: null,
  issues: [],
  ...more,
});
const notes = (more: Partial<ReleaseNotes> = {}): ReleaseNotes => ({
  package: 'tidemark',
  version: '1.4.0',
  range: '',
  date: '2026-11-23',
  intro: null,
  sections: [{ title: 'Added', items: [item()] }],
  contributors: [],
  ...more,
});

function change(
  kind: string | null,
  weight: Weight,
  more: { counted?: boolean; breaking?: string; by?: string } = {},
): Change {
  return {
    item: { kind, scope: null, summary: `${kind} it`, breaking: more.breaking ?? null, weight },
    commit: 'c',
    counted: more.counted ?? true,
    why: '',
    author: { name: more.by ?? 'Boat', email: '' },
    references: { pickedFrom: [], reverts: [], releases: [], issues: [], coAuthors: [{ name: 'Archive', email: '' }] },
    unmarked: false,
    sinceSeries: true,
    takesFromSeries: false,
  };
}

describe('sections', () => {
  it('hold what breaks first, then by title, then the rest that weighs something', () => {
    const changes = [
      change('fix', 'patch'),
      change('docs', 'none'),
      change('tide', 'patch'),
      change('feat', 'major', { breaking: 'x' }),
      change('perf', 'none'),
      change('feat', 'minor', { counted: false }),
    ];

    const sections = sectionsOf(changes, titles, ['Needs harmonics 2.0.0']);

    expect(sections.map(({ title, items }) => [title, items.map(({ summary }) => summary)])).toEqual([
      ['Breaking', ['feat it']],
      ['Fixed', ['fix it']],
      ['Faster', ['perf it']],
      ['Other', ['tide it', 'Needs harmonics 2.0.0']],
    ]);
  });

  it('name contributors once, those whose change counts', () => {
    expect(
      contributorsOf([
        change('fix', 'patch'),
        change('fix', 'patch', { by: 'Harbour' }),
        change('fix', 'patch', { by: 'Nobody', counted: false }),
      ]),
    ).toEqual(['Boat', 'Archive', 'Harbour']);
  });
});

describe('Markdown', () => {
  it.each([
    [null, false],
    ['harbour view', false],
    ['every unit changed', true],
  ])('of an item with the note %j shows it below: %s', (breaking, isBelow) => {
    const text = renderMarkdown(notes({ sections: [{ title: 'Breaking', items: [item({ breaking })] }] }), {
      links: { commit: null, issue: null },
      withPackage: true,
      level: 2,
    });

    expect(/\n\n {2}every unit changed\n/.test(text)).toBe(isBelow);
    expect(text).not.toContain('undefined');
    expect(text.match(/harbour view/g)).toHaveLength(1);
  });

  it('links commits and issues, and tells what breaks in full', () => {
    const links = {
      commit: 'https://git.fenmarsh.example/{commit}',
      issue: 'https://git.fenmarsh.example/issues/{issue}',
    };
    const breaking = item({
      summary: 'other units (#12)',
      scope: 'tides',
      breaking: 'first line\n- no list\n\nsecond part',
      issues: ['12', '7'],
    });

    expect(
      renderMarkdown(
        notes({ sections: [{ title: 'Breaking', items: [breaking] }], intro: '**By hand.**', contributors: ['A_b'] }),
        { links, withPackage: true, level: 2 },
      ),
    ).toBe(
      [
        '## tidemark 1.4.0, 2026-11-23',
        '',
        '**By hand.**',
        '',
        '### Breaking',
        '',
        '- other units (tides, [#12](https://git.fenmarsh.example/issues/12), [#7](https://git.fenmarsh.example/issues/7)) · [3f2c9e1](https://git.fenmarsh.example/3f2c9e1aaaa)',
        '',
        '  first line',
        '  \\- no list',
        '',
        '  second part',
        '',
        'With thanks to A_b.',
        '',
      ].join('\n'),
    );
  });

  it.each([
    ['a `code <b>` span', 'a `code <b>` span'],
    ['an open ` tick', 'an open \\` tick'],
    ['<script>x</script> & co', '&lt;script&gt;x&lt;/script&gt; &amp; co'],
    ['[click](https://fenmarsh.example)', '\\[click\\](https://fenmarsh.example)'],
    ['*bold* _it_ snake_case', '\\*bold\\* \\_it\\_ snake_case'],
    ['<!-- open', '&lt;!-- open'],
    ['esc \u001b[31m \u202e', 'esc ?\\[31m ?'],
  ])('%j is written %j', (text, written) => {
    expect(escapeMarkdown(text)).toBe(written);
  });

  it('never lets HTML, a line break or a control character out of a commit', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom(...'ab`<>&[]*_\\~\n\r\u001b#-') }), (text) => {
        const written = escapeMarkdown(text);
        const outside = written.replace(/\\[\\`*_[\]~]|`[^`]+`/g, '');
        expect(written).not.toMatch(/[\n\r\u001b]/);
        expect(outside).not.toMatch(/[<>`*[\]]/);
      }),
      { numRuns: 2000 },
    );
  });
});

it('writes plain text and a Debian stanza', () => {
  const both = notes({ sections: [{ title: 'Fixed', items: [item({ scope: 'log', breaking: 'all\nof it' })] }] });

  expect(renderPlainText(both)).toBe(
    'tidemark 1.4.0, 2026-11-23\n\nFixed\n  - harbour view (log)  3f2c9e1\n      all\n      of it\n',
  );
  expect(
    renderDebianStanza({
      notes: both,
      version: '1.4.0-1',
      maintainer: 'Boat <boat@fenmarsh.example>',
      at: new Date('2026-11-23T08:00:00Z'),
    }),
  ).toBe(
    'tidemark (1.4.0-1) unstable; urgency=medium\n\n  * harbour view (log)\n\n -- Boat <boat@fenmarsh.example>  Mon, 23 Nov 2026 08:00:00 +0000\n',
  );
});

describe('a template', () => {
  it('gets every field, escaped with two braces', () => {
    const template =
      '{{package}} {{version}}{{#sections}} [{{title}}{{#items}} {{summary}} {{{summary}}} {{short}}{{/items}}]{{/sections}}';
    const own = notes({ sections: [{ title: 'Added', items: [item({ summary: '<b>\u001b' })] }] });

    expect(renderTemplate({ template, file: 'x', notes: [own], links: noLinks })).toBe(
      'tidemark 1.4.0 [Added &lt;b&gt;? <b>? 3f2c9e1]',
    );
  });

  it('that is not closed is refused by name', () => {
    expect(() =>
      renderTemplate({ template: '{{#sections}}', file: 'own.md', notes: [notes()], links: noLinks }),
    ).toThrow(expect.objectContaining({ code: 'TEMPLATE_INVALID', where: { file: 'own.md' } }));
  });
});

it.each([
  ['the light vessel', 'stations', ['12'], 'the light vessel', ['stations', '#12']],
  ['the light vessel (#12)', 'stations', ['12'], 'the light vessel', ['stations', '#12']],
  ['half tides (#3, #4)', null, ['3', '4'], 'half tides', ['#3', '#4']],
  ['as #12 asked, half tides', null, ['12', '1'], 'as #12 asked, half tides', ['#1']],
  ['half tides (rounded)', null, [], 'half tides (rounded)', []],
  ['(#12)', null, ['12'], '(#12)', []],
])('splits %j with the scope %s and the issues %j into text and details', (summary, scope, issues, text, details) => {
  expect(splitItem(item({ summary, scope, issues }))).toEqual({ text, details });
});
