import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formatBytes, parseBytes } from '../../../src/core/text/bytes.ts';
import { cleanLines, cleanText } from '../../../src/core/text/clean.ts';
import { nearest } from '../../../src/core/text/nearest.ts';
import { clipRedacted, isPlainWord, redact, redactValue } from '../../../src/core/text/redact.ts';

it('lets no control or direction character through', () => {
  fc.assert(
    fc.property(fc.string({ unit: 'binary' }), (text) => {
      expect(cleanText(text)).not.toMatch(/[\p{Cc}\u202a-\u202e\u2066-\u2069]/u);
      expect(cleanLines(text).replaceAll('\n', '')).not.toMatch(/\p{Cc}/u);
    }),
  );
  expect(cleanText('tide\u001b[31mred\u202e')).toBe('tide?[31mred?');
  expect(cleanLines('a\tb\r\nc')).toBe('a  b\nc');
});

describe('redaction', () => {
  const secret = fc
    .string({ unit: fc.constantFrom(...'abcXYZ019+/=-_%é '), minLength: 8, maxLength: 40 })
    .filter((text) => text.trim() === text && !isPlainWord(text));

  it('removes a secret raw, URL-encoded and in base64 at any alignment', () => {
    fc.assert(
      fc.property(secret, fc.string({ maxLength: 7 }), fc.string({ maxLength: 7 }), (hidden, before, behind) => {
        const whole = Buffer.from(before + hidden + behind).toString('base64');
        const text = `${before}${hidden}${behind} ${encodeURIComponent(hidden)} ${whole}`;
        const shown = redact(text, [hidden]);
        expect(shown).not.toContain(hidden);
        expect(shown).not.toContain(encodeURIComponent(hidden));
        expect(shown).not.toContain(whole);
      }),
    );
  });

  it('leaves text without the secret as it is', () => {
    expect(redact('the tide is high', ['another-secret'])).toBe('the tide is high');
  });

  it.each(['tide', 'pass12', 'package', 'delivered', 'contents', '20261128'])('does not search for %s', (plain) => {
    expect([isPlainWord(plain), redact(`a ${plain} here`, [plain])]).toEqual([true, `a ${plain} here`]);
  });

  it('finds a secret with quotes and backslashes before it is escaped', () => {
    const hidden = 'a"quoted\\secret"\n9';

    const shown = JSON.stringify(
      redactValue({ why: [`it said ${hidden}`], at: new Date(0), count: 3 }, new Set([hidden])),
    );

    expect(shown).toBe('{"why":["it said [redacted]"],"at":"1970-01-01T00:00:00.000Z","count":3}');
  });

  it('never leaves the beginning of a secret where a text is cut', () => {
    const hidden = 'tide-office-token-7Qx2LmVb9';
    for (let length = 10; length < 60; length++) {
      const shown = clipRedacted(`the server said: ${hidden} is wrong`, length, [hidden]);
      expect(shown).not.toContain(hidden.slice(0, 6));
      expect(shown.length).toBeLessThanOrEqual(length);
    }
  });
});

it.each([
  ['survay', ['survey', 'build'], 'survey'],
  ['biuld', ['survey', 'build'], 'build'],
  ['SURVEY', ['survey'], 'survey'],
  ['tide', ['survey', 'build'], null],
  ['x', [], null],
])('nearest to %s among %j is %s', (word, candidates, found) => {
  expect(nearest(word, candidates)).toBe(found);
});

it.each([
  [0, '0 B'],
  [999, '999 B'],
  [1000, '1 kB'],
  [1450, '1.4 kB'],
  [99_960, '100 kB'],
  [999_600, '1 MB'],
  [300_000_000, '300 MB'],
])('%i bytes are %s', (size, text) => {
  expect(formatBytes(size)).toBe(text);
});

it.each([
  ['200 kB', 200_000],
  ['1.5MB', 1_500_000],
  ['12 B', 12],
  ['12', null],
  ['12 KiB', null],
  ['-1 kB', null],
])('%j is %s bytes', (text, size) => {
  expect(parseBytes(text)).toBe(size);
});
