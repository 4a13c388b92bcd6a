import { expect, it } from 'vitest';
import { renderPage } from '../../../src/core/page/page.ts';
import { readmeProblems } from '../../../src/core/page/readme-problems.ts';
import { isClassifier } from '../../../src/core/surface/trove-classifiers.ts';
import { npmArtifact, wheelArtifact } from '../../builders/artifact.ts';

it('shows a page as an index would, in plain text', () => {
  const readme =
    '# Tidemark\n\nHigh & *low* water, see [tables](https://x.example/t).\n\n<p align="center"><img src="https://x.example/a.png" alt="a gauge"></p>\n\n- one\n- two\n\n| when | height |\n|---|---|\n| noon | 4.2 m |\n\n```js\nhighWater();\n```\n\n<!-- hidden -->\n<script>alert(1)</script>\n';

  expect(renderPage(npmArtifact({ keywords: ['tide'] }, { 'package/README.md': readme }))).toBe(
    [
      'tidemark 1.4.0',
      'Tides',
      'licence   MIT',
      'links     https://git.fenmarsh.example/tides',
      'keywords  tide',
      'runs on   >=20',
      '',
      'TIDEMARK',
      '========',
      '',
      'High & low water, see tables (https://x.example/t).',
      '',
      '[picture: a gauge]',
      '',
      '- one',
      '- two',
      '',
      'when  height',
      'noon  4.2 m',
      '',
      '    highWater();',
      '',
    ].join('\n'),
  );
});

it('shows that a page is empty', () => {
  expect(renderPage(npmArtifact({ description: '' }, { 'package/README.md': '(none)' }))).toMatch(
    /\(no description\)[\s\S]*the page is empty/,
  );
  expect(renderPage(wheelArtifact('Keywords: tide,sea\n'))).toMatch(/^tidemark-py 1\.4\.0\nTides\n[\s\S]*TIDEMARK/);
});

const problems = (text: string, format: 'markdown' | 'rst') =>
  readmeProblems({ path: 'README', text, format }).join('\n');

it.each([
  ['Tides\n===\n\ntext', 'rst', /shorter than the title/],
  ['.. include:: other.rst', 'rst', /directive include/],
  ['# Tides\n\n```\ncode\n```\n', 'rst', /looks like Markdown/],
  ['=====\nTides\n=====\n', 'markdown', /looks like reStructuredText/],
  ['<img src="a.png">', 'markdown', /a\.png has no full address/],
] as const)('%j as %s is told', (text, format, message) => {
  expect(problems(text, format)).toMatch(message);
});

it.each([
  ['Tides\n=====\n\n.. image:: https://x.example/a.png\n', 'rst'],
  ['# Tides\n\n~~~\n```\n~~~\n', 'markdown'],
] as const)('%j as %s is fine', (text, format) => {
  expect(problems(text, format)).toBe('');
});

it.each([
  ['Programming Language :: Python :: 3', true],
  ['Programming Language :: Python :: 3.99', true],
  ['Private :: Do Not Upload', true],
  ['Programming Language :: Tide', false],
  ['License', false],
])('%s is a classifier: %s', (text, is) => {
  expect(isClassifier(text)).toBe(is);
});
