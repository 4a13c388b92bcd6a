import fc from 'fast-check';
import { describe, expect, it, vi } from 'vitest';
import { renderDeliveries } from '../../src/cli/view/deliveries.ts';
import { renderError } from '../../src/cli/view/error.ts';
import { jsonPieces } from '../../src/cli/view/json.ts';
import { makeProgress } from '../../src/cli/view/progress.ts';
import { pathColumn, renderTable } from '../../src/cli/view/table.ts';
import { beside } from '../../src/cli/view/wrap.ts';
import { BevelstoneError } from '../../src/core/error/bevelstone-error.ts';
import type { ProgressEvent } from '../../src/flow/context.ts';
import type { Delivery } from '../../src/flow/deliver/deliver.ts';
import { testScreen } from '../builders/screen.ts';

const word = fc.stringMatching(/^[a-z]{1,12}$/);

describe('text on a terminal', () => {
  it('breaks between words only, within the width, below its own beginning', () => {
    fc.assert(
      fc.property(fc.array(word, { minLength: 1 }), fc.integer({ min: 40, max: 120 }), (words, columns) => {
        const lines = beside('  why    ', words.join(' '), testScreen({ columns })).split('\n');

        expect(lines.map((line) => line.slice(9)).join(' ')).toBe(words.join(' '));
        expect(Math.max(...lines.map((line) => line.length))).toBeLessThanOrEqual(columns);
        expect(lines.slice(1).every((line) => line.startsWith(' '.repeat(9)))).toBe(true);
      }),
    );
  });

  it('goes whole into a file, with its own line breaks', () => {
    const text = `${'word '.repeat(40).trim()}\nnext`;

    expect(beside('  fix    ', text, testScreen({ isTerminal: false }))).toBe(
      `  fix    ${'word '.repeat(40).trim()}\n         next`,
    );
  });
});

describe('a table with paths', () => {
  const rows = [['0644', 'packages/tidemark/src/stations/fen-light-vessel/readings/2026-11-28.json', 'as it is']];
  const table = (parts: Parameters<typeof testScreen>[0]) =>
    renderTable({ columns: ['mode', pathColumn('path'), 'from'], rows, screen: testScreen(parts) }).split('\n');

  it.each([60, 80])('of %i columns shortens them in the middle', (columns) => {
    const [, row = ''] = table({ columns });

    expect(row.length).toBeLessThanOrEqual(columns);
    expect(row).toMatch(/0644 {2}pack\S*…\S*11-28\.json {2}as it is/);
  });

  it.each([
    ['on a wide terminal', { columns: 120 }],
    ['in a file', { columns: 80, isTerminal: false }],
  ])('shows them whole %s', (_, parts) => {
    expect(table(parts)[1]).toContain(rows[0]?.[1]);
  });
});

const delivery = (parts: Partial<Delivery>): Delivery => ({
  destination: 'office',
  artifact: 'tidemark-1.4.0.tgz',
  state: 'delivered',
  confirmed: 'bytes',
  why: null,
  address: 'https://packages.fenmarsh.example/tidemark-1.4.0.tgz',
  sha256: 'a'.repeat(64),
  isUnconfirmed: false,
  code: null,
  ...parts,
});

describe('deliveries', () => {
  it.each<[string, readonly Partial<Delivery>[], RegExp]>([
    ['that are done', [{}, { destination: 'shelf' }], /1 +office, shelf +▪ all delivered/],
    ['that were there', [{ state: 'already-there' }], /▫ all already there/],
    ['there or done', [{ state: 'already-there' }, {}], /▪ all delivered/],
    ['of which one failed', [{}, { destination: 'shelf', state: 'failed' }], /▓ 1 of 2, failed: shelf/],
    ['that are still to come', [{ state: 'pending' }], /‼ 0 of 1, pending: office/],
    ['that cannot be downloaded yet', [{ isUnconfirmed: true }], /‼ 0 of 1, unconfirmed: office/],
    ['without a destination', [], /▫ no destination/],
  ])('%s take one line', (_, parts, expected) => {
    const release = { package: 'tidemark', version: '1.4.0', deliveries: parts.map(delivery) };

    const lines = renderDeliveries([release], testScreen()).split('\n');

    expect(lines).toHaveLength(2);
    expect(lines[1]).toMatch(expected);
  });

  it('are shown one by one, with their addresses, with --verbose', () => {
    const release = { package: 'tidemark', version: '1.4.0', deliveries: [delivery({}), delivery({})] };

    const text = renderDeliveries([release], testScreen({ isVerbose: true }));

    expect(text.match(/▪ delivered {2}tidemark 1\.4\.0/g)).toHaveLength(2);
    expect(text.match(/https:/g)).toHaveLength(2);
  });
});

describe('an error', () => {
  const problem = (code: 'RULES_REFUSED' | 'CONFIG_UNKNOWN_KEY', fix: string) => ({
    code,
    message: 'dist/a.map is 3 MB',
    fix,
    where: null,
  });

  it('names its code once, and a remedy that is that of all once', () => {
    const error = new BevelstoneError('RULES_REFUSED', {
      message: '2 findings are refused',
      why: 'rules',
      fix: 'Correct them',
      problems: [problem('RULES_REFUSED', 'Correct them'), problem('CONFIG_UNKNOWN_KEY', 'Write "files"')],
    });

    const text = renderError(error, testScreen());

    expect(text.match(/RULES_REFUSED/g)).toHaveLength(1);
    expect(text.match(/Correct them/g)).toHaveLength(1);
    expect(text).toContain('(CONFIG_UNKNOWN_KEY)');
    expect(text).toContain('    Write "files"');
  });

  it('keeps the line breaks of other programs, and nothing else that could move the cursor', () => {
    const why = 'gcc: error\n\u001b[2Jtides.c:3\r\nstop';

    const text = renderError(new BevelstoneError('STEP_FAILED', { message: 'm', why, fix: 'f' }), testScreen());

    expect(text.split('\n').slice(1, 4)).toEqual(['  why    gcc: error', '         ?[2Jtides.c:3', '         stop']);
  });
});

describe('progress', () => {
  const run = (isLive: boolean, events: readonly ProgressEvent[], ms: number, parts = {}) => {
    vi.useFakeTimers({ toFake: ['setInterval', 'clearInterval', 'performance'] });
    try {
      const written: string[] = [];
      const progress = makeProgress(testScreen(parts), isLive, (text) => written.push(text));
      const [first, ...others] = events;
      if (first !== undefined) progress.report(first);
      vi.advanceTimersByTime(ms);
      for (const event of others) progress.report(event);
      vi.advanceTimersByTime(ms);
      progress.stop();
      return written;
    } finally {
      vi.useRealTimers();
    }
  };
  const what = 'tidemark-1.4.0.tgz to office';
  const moved = { type: 'moved', what, bytes: 4_000_000, of: 16_000_000 } as const;

  it('shows a bar, bytes, rate and time left on a terminal', () => {
    const written = run(true, [{ type: 'started', what }, moved], 2000);

    expect(written.at(-2)).toMatch(/ ▪▪▪▫{7} {2}4 MB of 16 MB {2}\d+(?:\.\d)? MB\/s {2}\d+ s left/);
  });

  it('never leaves the line of a terminal', () => {
    const written = run(true, [{ type: 'started', what }, moved, { type: 'started', what: 'x'.repeat(90) }], 2000);

    expect(Math.max(...written.map((text) => text.replace(/\r\u001b\[K/g, '').length))).toBeLessThan(80);
  });

  it('writes one plain line every ten seconds without a terminal', () => {
    const written = run(false, [{ type: 'started', what }, moved], 25_000);

    const lines = written.filter((text) => text.includes('working'));
    expect(lines).toHaveLength(5);
    expect(lines.at(-1)).toMatch(/^▫ working {2}tidemark-1\.4\.0\.tgz to office, 4 MB of 16 MB, .*\/s, .* left\n$/);
  });

  it('says nothing of short work in between', () => {
    expect(
      run(
        false,
        [
          { type: 'started', what },
          { type: 'finished', what },
        ],
        9000,
      ),
    ).toEqual([`▪ done  ${what} 9 s\n`]);
  });

  it('shows details only to those who ask', () => {
    const detail = { type: 'detail', text: 'tag v1.2 is not read' } as const;

    expect(run(false, [detail], 0)).toEqual([]);
    expect(run(false, [detail], 0, { isVerbose: true })).toEqual(['▫ note: tag v1.2 is not read\n']);
  });
});

it('JSON for programs has no control character of any kind, and says the same', () => {
  const controls = Array.from({ length: 0xa1 }, (_, code) => String.fromCharCode(code)).join('');
  const value = { [`a\u009b31m`]: controls, list: [`\u2028\u2029\u007f`, { deep: '\u0085' }] };
  const text = [...jsonPieces(value)].join('');

  expect([...text].filter((letter) => /[\p{Cc}\p{Zl}\p{Zp}]/u.test(letter))).toEqual([]);
  expect(JSON.parse(text)).toEqual(value);
});
