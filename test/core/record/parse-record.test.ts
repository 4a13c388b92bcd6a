import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { formatContentsList, parseContentsList } from '../../../src/core/record/contents-list.ts';
import { whyUnreadable } from '../../../src/core/record/parse-record.ts';
import { parseReleaseRecord } from '../../../src/core/record/release-record.ts';
import { releaseRecord } from '../../builders/ledger.ts';

const digest = 'ab'.repeat(32);
const commit = 'cd'.repeat(20);

const release = releaseRecord();

const entry = { path: 'a.js', type: 'file', size: 5, mode: '0644', sha256: digest, origin: { type: 'generated' } };
const source = { type: 'source', path: 'a.js', commit, stamped: true };
const contents = {
  schema: 'bevelstone/1',
  artifacts: [{ file: 'a.tgz', contentDigest: digest, entries: [entry, { ...entry, path: 'b.js', origin: source }] }],
};

const records = [
  ['a release record', release, parseReleaseRecord],
  ['a contents list', contents, parseContentsList],
] as const;

describe.each(records)('%s', (_, record, parse) => {
  const why = (value: unknown) => {
    const parsed = parse(typeof value === 'string' ? value : JSON.stringify(value));
    return parsed.type === 'record' ? null : whyUnreadable(parsed);
  };

  it('is read as it was written, fields that a later version adds included', () => {
    const later = { ...record, mirrored: true };

    expect(parse(JSON.stringify(later))).toEqual({ type: 'record', record: later });
  });

  it('of a newer format is reported as such', () => {
    expect(why({ ...record, schema: 'bevelstone/2' })).toBe('a newer version of Bevelstone wrote it (bevelstone/2)');
  });

  it.each(['', 'null', '[]', '7', '"tides"', '{}', '{"schema":"other/1"}', '{"schema":7}'])('is not %j', (text) => {
    expect(why(text)).toMatch(/^(?:it is not JSON|`schema` is not)/);
  });

  it('that was cut anywhere is damaged', () => {
    const text = JSON.stringify(record);
    fc.assert(fc.property(fc.nat(text.length - 1), (end) => why(text.slice(0, end)) !== null));
  });

  it('names the field that is missing', () => {
    for (const field of Object.keys(record).filter((name) => name !== 'schema')) {
      const { [field as keyof typeof record]: _removed, ...rest } = record;
      expect(why(rest)).toBe(`\`${field}\` is missing`);
    }
  });

  it('with any JSON value in any field never throws', () => {
    const replaced = fc.tuple(fc.constantFrom(...Object.keys(record)), fc.jsonValue());
    fc.assert(
      fc.property(replaced, ([field, value]) =>
        ['record', 'damaged', 'newer'].includes(parse(JSON.stringify({ ...record, [field]: value })).type),
      ),
    );
  });
});

const [artifact] = release.artifacts;

it.each<[string, Record<string, unknown>, string]>([
  ['a file that is a path', { artifacts: [{ ...artifact, file: '../../.bashrc' }] }, '`artifacts[0].file` has'],
  ['an unknown form', { artifacts: [{ ...artifact, form: 'scroll' }] }, '`artifacts[0].form` has'],
  [
    'an SBOM without a digest',
    { sboms: [{ ...artifact, file: 'b', sha256: undefined }] },
    '`sboms[0].sha256` is missing',
  ],
  ['two files of one name', { sboms: [{ ...artifact, file: 'TIDEMARK-1.4.0.tgz' }] }, 'two files have the same name'],
  ['a folder outside', { folder: '../other' }, '`folder` has'],
  ['a version that is a path', { version: '../1.4.0' }, '`version` has'],
  ['a tag that is an option', { tag: '--delete' }, '`tag` has'],
  ['a stream without a pointer', { stream: { name: 'stable', type: 'stable' } }, '`stream.pointer` is missing'],
  ['a weight that there is not', { weight: 'huge' }, '`weight` has'],
  ['text instead of a list', { needs: 'gauges' }, '`needs` has'],
])('a release record with %s is damaged there', (_, change, expected) => {
  const parsed = parseReleaseRecord(JSON.stringify({ ...release, ...change }));

  expect(parsed).toEqual({ type: 'damaged', why: expect.stringContaining(expected) });
});

it.each<[string, Record<string, unknown>, string]>([
  ['a mode in words', { mode: 'rw-r--r--' }, '`artifacts[0].entries[0].mode` has'],
  ['a negative size', { size: -1 }, '`artifacts[0].entries[0].size` has'],
  ['a kind of entry that there is not', { type: 'door' }, '`artifacts[0].entries[0].type` has'],
  ['an origin that there is not', { origin: { type: 'hearsay' } }, '`artifacts[0].entries[0].origin.type` has'],
  [
    'an origin without its step',
    { origin: { type: 'step', path: 'a' } },
    '`artifacts[0].entries[0].origin.step` is missing',
  ],
  ['an origin from nowhere', { origin: null }, '`artifacts[0].entries[0].origin` is not an object'],
  ['an empty path', { path: '' }, '`artifacts[0].entries[0].path` has'],
])('a contents list with %s is damaged there', (_, change, expected) => {
  const list = { ...contents, artifacts: [{ ...contents.artifacts[0], entries: [{ ...entry, ...change }] }] };

  expect(parseContentsList(JSON.stringify(list))).toEqual({ type: 'damaged', why: expect.stringContaining(expected) });
});

it('writes a contents list as JSON does, piece by piece', () => {
  const entries = fc.array(
    fc.record({
      path: fc.string({ minLength: 1 }),
      type: fc.constantFrom('file' as const, 'folder' as const),
      size: fc.nat(),
      mode: fc.constant('0644'),
      sha256: fc.constantFrom(null, 'a'.repeat(64)),
      origin: fc.constant({ type: 'generated' as const }),
    }),
    { maxLength: 3 },
  );
  const artifacts = fc.array(fc.record({ file: fc.string(), contentDigest: fc.string(), entries }), { maxLength: 3 });
  fc.assert(
    fc.property(artifacts, (list) => {
      const head = { package: 'tidemark', version: '1.4.0', commit: 'c'.repeat(40) };
      const whole = { schema: 'bevelstone/1', ...head, artifacts: list };
      expect([...formatContentsList(head, list)].join('')).toBe(`${JSON.stringify(whole, null, 2)}\n`);
    }),
  );
});
