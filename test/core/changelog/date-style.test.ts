import { expect, it } from 'vitest';
import { findDate } from '../../../src/core/changelog/date-style.ts';

it.each([
  ['1.3.2 (2026-01-02)', [], '1.3.2 (2026-12-01)'],
  ['[1.1.0] - 2026-11-28', ['[1.1.0] - 2026-11-28', '[1.0.9] - 2026-10-12'], '[1.1.0] - 2026-12-01'],
  ['1.3.2 (2026-11-28)', ['1.3.2 (2026-11-28)', '1.3.1 (2026-1-2)'], '1.3.2 (2026-12-1)'],
  ['1.3.2 (2026-1-2)', [], '1.3.2 (2026-12-1)'],
  ['1.3.2, 28.11.2026', ['1.3.2, 28.11.2026', '1.3.1, 2.11.2026'], '1.3.2, 1.12.2026'],
  ['1.3.2, 02.11.2026', ['1.3.2, 02.11.2026'], '1.3.2, 01.12.2026'],
  ['1.3.2, 11/28/2026', ['1.3.2, 11/28/2026'], '1.3.2, 12/01/2026'],
])('the date in %j, beside %j, is written anew as in %j', (text, headings, expected) => {
  const found = findDate(text, headings.length === 0 ? [text] : headings);
  if (found === null) throw new Error('no date was found');
  const { start, end, format } = found;

  expect(text.slice(0, start) + format({ year: 2026, month: 12, day: 1 }) + text.slice(end)).toBe(expected);
});
