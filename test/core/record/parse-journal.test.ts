import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { parseJournal } from '../../../src/core/record/parse-journal.ts';
import type { ReleaseCard } from '../../../src/core/record/release-card.ts';
import {
  formatRecord,
  lastRecord,
  lineDigest,
  type RunRecord,
  type RunStep,
} from '../../../src/core/record/run-record.ts';

const commit = 'c0'.repeat(20);
const opened = {
  schema: 'bevelstone/1',
  run: '20261102-093000-0123abcd',
  source: commit,
  branch: 'main',
  remote: 'origin',
  remoteHead: null,
  time: 1_793_000_000,
  mark: 'ab'.repeat(16),
  asked: {
    packages: ['coast'],
    exactly: null,
    raise: 'minor',
    because: 'a new reading',
    branch: null,
    stream: null,
    tagged: null,
    withNeeded: false,
    without: [],
  },
  configDigest: null,
  isFromRemote: false,
  program: { bevelstone: '0.1.0', node: '20.20.0', zlib: '1.3.1' },
};
/** Steps whose data is for people, so that it may be anything. */
const freeSteps: readonly RunStep[] = ['gated', 'surveyed', 'verified', 'sbom', 'ledgered', 'settled', 'closed'];

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

/** With everything that a card can have: what is written must be read again. */
const card: ReleaseCard = {
  commit: 'c'.repeat(40),
  source: 'd'.repeat(40),
  branch: 'main',
  stream: 'stable',
  remote: 'origin',
  writes: ['CHANGELOG.md'],
  pushes: ['main'],
  releases: [
    {
      package: 'coast',
      last: '1.3.0',
      version: '1.4.0',
      weight: 'minor',
      reasons: ['1 feature'],
      tag: 'v1.4.0',
      notes: {
        package: 'coast',
        version: '1.4.0',
        range: '',
        date: '2026-11-02',
        intro: null,
        sections: [],
        contributors: [],
      },
      artifacts: [
        {
          file: 'coast-1.4.0.tgz',
          form: 'npm-tarball',
          platform: null,
          sizeBytes: 1,
          sha256: 'a'.repeat(64),
          to: ['office'],
        },
      ],
      findings: [
        { severity: 'warn', rule: 'archive/junk', artifact: 'coast-1.4.0.tgz', path: null, message: 'a file too many' },
      ],
      rehearsed: ['npm 11: installed'],
      without: [],
    },
  ],
  resting: ['tides'],
  destinations: [{ name: 'office', url: 'https://packages.fenmarsh.example/' }],
  unsent: [],
  untested: [],
  opted: [],
};

const parts = fc.array(
  fc.record({
    step: fc.constantFrom(...freeSteps),
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
        const { records, lines, damage } = parseJournal(journalOf(all));
        expect(records.map(({ step, key, phase }) => ({ step, key, phase }))).toEqual(
          all.map(({ step, key, phase }) => ({ step, key, phase })),
        );
        expect([lines.map((line) => `${line}\n`).join(''), damage]).toEqual([journalOf(all), null]);
      }),
    );
  });

  it('gives back the card that was agreed to', () => {
    const data = { card: 'a'.repeat(64), what: card };

    const { records, damage } = parseJournal(journalOf([{ step: 'agreed', key: '', phase: 'done', data }]));

    expect([damage, records[0]?.data]).toEqual([null, data]);
  });

  it('cut at any byte, contains the complete records, and reports where they end', () => {
    fc.assert(
      fc.property(parts, fc.nat(), (all, at) => {
        const bytes = Buffer.from(journalOf(all));
        const cut = bytes.subarray(0, at % (bytes.length + 1));
        const { records, lines, damage } = parseJournal(cut.toString('utf8'));
        expect(records.length).toBe(cut.toString('latin1').split('\n').length - 1);
        expect([lines.length, damage]).toEqual([records.length, null]);
      }),
    );
  });

  it.each<[string, number, string, (lines: string[]) => string[]]>([
    ['a line taken out', 1, 'does not follow', (lines) => lines.filter((_, index) => index !== 1)],
    ['two lines swapped', 0, 'does not follow', ([a = '', b = '', ...rest]) => [b, a, ...rest]],
    ['a value changed', 2, 'does not follow', ([a = '', b = '', ...rest]) => [a, b.replace('1.4.0', '1.5.0'), ...rest]],
    ['rubbish between', 1, 'not a JSON object', ([a = '', ...rest]) => [a, 'rubbish', ...rest]],
    ['an unknown step', 3, '`step` has', ([a = '', b = '', c = '', d = '']) => [a, b, c, d.replace('closed', 'sunk')]],
    ['an unknown phase', 3, '`phase` has', ([a = '', b = '', c = '', d = '']) => [a, b, c, d.replace('done', 'sunk')]],
    ['a list for a record', 0, 'not an object', ([a = '', ...rest]) => ['[]', a, ...rest]],
    ['a field taken out', 2, '`at` is missing', ([a = '', b = '', c = '']) => [a, b, c.replace(/"at":"[^"]*",/, '')]],
  ])('with %s is read up to its last whole record, and was changed by hand', (_, whole, why, spoil) => {
    const all = (['gated', 'surveyed', 'sbom', 'closed'] as const).map((step) => ({
      step,
      key: '',
      phase: 'done' as const,
      data: '1.4.0',
    }));
    const spoilt = spoil(journalOf(all).trimEnd().split('\n'))
      .map((line) => `${line}\n`)
      .join('');

    const { records, damage } = parseJournal(spoilt);
    expect(records).toHaveLength(whole);
    expect(damage).toMatchObject({ line: whole + 1, type: 'changed', why: expect.stringContaining(why) });
  });

  it.each<[RunRecord['step'], RunRecord['phase'], string, unknown, string | null]>([
    ['opened', 'done', '', opened, null],
    ['opened', 'done', '', { ...opened, source: 'HEAD' }, '`data.source`'],
    ['opened', 'done', '', { ...opened, run: '../../hooks' }, '`data.run`'],
    [
      'opened',
      'done',
      '',
      { ...opened, asked: { ...opened.asked, packages: ['--force'] } },
      '`data.asked.packages[0]`',
    ],
    ['opened', 'done', '', null, '`data` is not an object'],
    ['committed', 'done', '', { commit, tree: null }, null],
    ['committed', 'done', '', { commit: '--exec=sh', tree: null }, '`data.commit`'],
    ['committed', 'done', 'handed-out', { ref: 'refs/bevelstone/handed-out/one' }, null],
    ['committed', 'done', 'handed-out', {}, '`data.ref` is missing'],
    ['built', 'done', '', ['coast'], null],
    ['built', 'done', '', 'coast', '`data` is not a list'],
    ['built', 'done', 'coast-1.4.0.tgz', { sha256: 'a'.repeat(64), size: 3 }, null],
    ['built', 'done', 'coast-1.4.0.tgz', { sha256: 'A'.repeat(64) }, '`data.sha256`'],
    ['tagged', 'done', 'coast-1.4.0', { name: 'coast-1.4.0', id: commit }, null],
    ['tagged', 'done', 'coast-1.4.0', { name: 'a..b', id: commit }, '`data.name`'],
    ['tagged', 'failed', 'coast-1.4.0', null, null],
    ['push', 'intent', '', { ledger: null, push: { remote: 'origin', branch: null, tags: [] } }, null],
    [
      'push',
      'intent',
      '',
      { ledger: null, push: { remote: 'origin', branch: { name: 'main' }, tags: [] } },
      '`data.push.branch.from`',
    ],
    ['push', 'done', '', { by: 'anything' }, null],
    ['sent', 'intent', 'coast', { attempt: 1 }, null],
    ['sent', 'intent', 'coast', { attempt: '1' }, '`data.attempt`'],
    [
      'planned',
      'done',
      'coast',
      { event: { type: 'abandoned', package: 'coast', version: '1.4.0' }, beside: {} },
      null,
    ],
    [
      'planned',
      'done',
      'coast',
      { event: { type: 'sunk', package: 'coast', version: '1.4.0' }, beside: {} },
      '`data.event.type`',
    ],
    [
      'planned',
      'done',
      'coast',
      { event: { type: 'abandoned', package: 'coast', version: '1.4.0' }, beside: { '../x': '' } },
      '`data.beside`',
    ],
    [
      'confirmed',
      'done',
      'coast',
      {
        event: {
          type: 'confirmed',
          package: 'coast',
          version: '1.4.0',
          destination: 'office',
          artifact: 'coast-1.4.0.tgz',
          confirmed: 'no',
          why: 'x'.repeat(5000),
        },
        beside: {},
      },
      null,
    ],
    ['agreed', 'done', '', { card: 'a'.repeat(64), what: {} }, '`data.what.commit` is missing'],
    ['rehearsed', 'done', '', { releases: [{}] }, '`data.releases[0].package` is missing'],
  ])('takes of %s %s "%s" only what the step writes: %j', (step, phase, key, data, problem) => {
    const { records, damage } = parseJournal(journalOf([{ step, phase, key, data }]));
    expect([records.length, damage?.type]).toEqual(problem === null ? [1, undefined] : [0, 'changed']);
    expect(damage?.why ?? '').toContain(problem ?? '');
  });

  it('of a newer program is reported as such', () => {
    const data = { ...opened, schema: 'bevelstone/2', more: true };
    const { records, damage } = parseJournal(journalOf([{ step: 'opened', phase: 'done', key: '', data }]));
    expect(records).toEqual([]);
    expect(damage).toMatchObject({ line: 1, type: 'newer', why: expect.stringContaining('(bevelstone/2)') });
  });

  it.each([
    ['half a record', '{"seq":4,"at":"20'],
    ['zeros, as some file systems leave them', '\0\0\0\0'],
    ['half a record and another half', '{"seq":4,"a{"seq":4,"at":"'],
  ])('with %s at its end is damaged there, and was not changed by hand', (_, rest) => {
    const all = ['gated', 'surveyed'].map((step) => ({ step, key: '', phase: 'done', data: null }));
    const text = journalOf(all as Parameters<typeof journalOf>[0]);

    expect(parseJournal(`${text}${rest}\n`)).toMatchObject({ damage: { line: 3, type: 'torn' } });
    expect(parseJournal(text + rest)).toMatchObject({ damage: null });
  });

  it('finds the last record of a step, a key, a phase', () => {
    const of = (step: string, key: string, phase: string) => ({ step, key, phase, data: null });
    const all = [of('afterwards', 'a', 'intent'), of('afterwards', 'b', 'intent'), of('afterwards', 'a', 'done')];
    const { records } = parseJournal(journalOf(all as Parameters<typeof journalOf>[0]));

    expect(lastRecord(records, 'afterwards')?.seq).toBe(2);
    expect(lastRecord(records, 'afterwards', { key: 'b' })?.seq).toBe(1);
    expect(lastRecord(records, 'afterwards', { key: 'b', phase: 'done' })).toBeNull();
  });
});
