import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import {
  formatRecord,
  lastRecord,
  lineDigest,
  parseJournal,
  type RunRecord,
  runSteps,
} from '../../../src/core/record/run-record.ts';

/** A journal of some records, chained as the program writes it. */
function journalOf(parts: readonly Pick<RunRecord, 'step' | 'key' | 'phase' | 'data'>[]): string {
  let prev = '';
  return parts
    .map((part, seq) => {
      const line = formatRecord({ seq, at: '2026-11-02T09:30:00.000Z', input: '', prev, ...part });
      prev = lineDigest(line);
      return `${line}\n`;
    })
    .join('');
}

const parts = fc.array(
  fc.record({
    step: fc.constantFrom(...runSteps),
    key: fc.string(),
    phase: fc.constantFrom('intent', 'done', 'failed'),
    data: fc.jsonValue(),
  }),
  { minLength: 1, maxLength: 8 },
) as fc.Arbitrary<Pick<RunRecord, 'step' | 'key' | 'phase' | 'data'>[]>;

describe('a journal', () => {
  it('gives back what was written, whatever it was', () => {
    fc.assert(
      fc.property(parts, (all) => {
        const { records, lines, damagedLine } = parseJournal(journalOf(all));
        expect(records.map(({ step, key, phase }) => ({ step, key, phase }))).toEqual(
          all.map(({ step, key, phase }) => ({ step, key, phase })),
        );
        expect([lines.map((line) => `${line}\n`).join(''), damagedLine]).toEqual([journalOf(all), null]);
      }),
    );
  });

  it('cut at any byte, holds the records that were whole, and says where they end', () => {
    fc.assert(
      fc.property(parts, fc.nat(), (all, at) => {
        const bytes = Buffer.from(journalOf(all));
        const cut = bytes.subarray(0, at % (bytes.length + 1));
        const { records, lines, damagedLine } = parseJournal(cut.toString('utf8'));
        expect(records.length).toBe(cut.toString('latin1').split('\n').length - 1);
        expect([lines.length, damagedLine]).toEqual([records.length, null]);
      }),
    );
  });

  it.each([
    ['a line taken out', 1, (lines: string[]) => lines.filter((_, index) => index !== 1)],
    ['two lines swapped', 0, ([a = '', b = '', ...rest]: string[]) => [b, a, ...rest]],
    [
      'a value changed',
      2,
      (lines: string[]) => lines.map((line, index) => (index === 1 ? line.replace('1.4.0', '1.5.0') : line)),
    ],
    ['rubbish between', 1, ([a = '', ...rest]: string[]) => [a, 'rubbish', ...rest]],
    [
      'a step that does not exist',
      3,
      ([a = '', b = '', c = '', d = '']: string[]) => [a, b, c, d.replace('built', 'sunk')],
    ],
  ])('with %s is read up to its last whole record', (_, whole, spoil) => {
    const all = ['opened', 'surveyed', 'committed', 'built'].map((step) => ({
      step,
      key: '',
      phase: 'done',
      data: '1.4.0',
    }));
    const text = journalOf(all as Parameters<typeof journalOf>[0]);
    const spoilt = spoil(text.trimEnd().split('\n'))
      .map((line) => `${line}\n`)
      .join('');

    const { records, damagedLine, isTampered } = parseJournal(spoilt);
    expect([records.length, damagedLine, isTampered]).toEqual([whole, whole + 1, whole < 3]);
  });

  it.each([
    ['half a record', '{"seq":4,"at":"20'],
    ['zeros, as some file systems leave them', '\0\0\0\0'],
    ['half a record and another half', '{"seq":4,"a{"seq":4,"at":"'],
  ])('with %s at its end is damaged there, and was not changed by hand', (_, rest) => {
    const all = ['opened', 'surveyed'].map((step) => ({ step, key: '', phase: 'done', data: null }));
    const text = journalOf(all as Parameters<typeof journalOf>[0]);

    expect(parseJournal(`${text}${rest}\n`)).toMatchObject({ damagedLine: 3, isTampered: false });
    expect(parseJournal(text + rest)).toMatchObject({ damagedLine: null, isTampered: false });
  });

  it('is asked for the last record of a step, a key, a phase', () => {
    const of = (step: string, key: string, phase: string) => ({ step, key, phase, data: null });
    const all = [of('sent', 'a', 'intent'), of('sent', 'b', 'intent'), of('sent', 'a', 'done')];
    const { records } = parseJournal(journalOf(all as Parameters<typeof journalOf>[0]));

    expect(lastRecord(records, 'sent')?.seq).toBe(2);
    expect(lastRecord(records, 'sent', { key: 'b' })?.seq).toBe(1);
    expect(lastRecord(records, 'sent', { key: 'b', phase: 'done' })).toBeNull();
  });
});
