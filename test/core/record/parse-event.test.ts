import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import type { LedgerEvent } from '../../../src/core/record/event.ts';
import { canonicalJson, eventId, planDigest } from '../../../src/core/record/event-id.ts';
import { isLedgerPath, parseEvent } from '../../../src/core/record/parse-event.ts';
import { artifactRecord, deliveredEvent, ledgerEvent, plannedEvent } from '../../builders/ledger.ts';

const pathOf = ({ package: name, version, id }: LedgerEvent) => `${name}/${version}/${id}.json`;
/** An event with a field changed, and the id that fits. */
const changed = (event: LedgerEvent, more: Record<string, unknown>) => {
  const other = { ...event, ...more } as LedgerEvent;
  return { ...other, id: eventId(other) };
};
const parse = (event: object) => parseEvent(JSON.stringify(event), pathOf(event as LedgerEvent));

describe('an event of the ledger', () => {
  it.each<[string, LedgerEvent]>([
    ['planned', plannedEvent()],
    ['planned for a scope', plannedEvent({ package: '@signals/lamps', tag: '@signals/lamps/1.4.0' })],
    ['delivered', deliveredEvent('office', 1)],
    ['delivered to a folder', deliveredEvent('shelf', 1, { address: '/srv/shelf of tides/a.tgz' })],
    [
      'confirmed',
      ledgerEvent({
        type: 'confirmed',
        destination: 'office',
        artifact: 'a.tgz',
        confirmed: 'no',
        why: 'slow\nserver',
      }),
    ],
    ['pointed', ledgerEvent({ type: 'pointed', destination: 'office', pointer: 'latest', from: null })],
    ['withdrawn', ledgerEvent({ type: 'withdrawn', destination: 'office', how: 'unlisted', reason: '' })],
    ['abandoned', ledgerEvent({ type: 'abandoned' })],
    ['replanned', ledgerEvent({ type: 'replanned', artifact: artifactRecord('a.tgz') })],
  ])('that is %s is read as it was written', (_, event) => {
    expect(parse(event)).toEqual({ type: 'event', event });
  });

  it('of a newer program is named by its kind', () => {
    expect(parse(ledgerEvent({ type: 'mirrored' }))).toEqual({ type: 'unknown', kind: 'mirrored' });
    expect(parse(ledgerEvent({ type: 'toString' }))).toEqual({ type: 'unknown', kind: 'toString' });
  });

  it.each<[string, LedgerEvent, Record<string, unknown>, string]>([
    ['a version that is a path', plannedEvent(), { version: '../../1.4.0' }, 'version'],
    ['a package that is a path', plannedEvent(), { package: '../tidemark' }, 'package'],
    ['a package with a control character', plannedEvent(), { package: 'tide\u001bmark' }, 'package'],
    ['a run that is a path', plannedEvent(), { run: '../../../hooks' }, 'run'],
    ['a tag that is an option', plannedEvent(), { tag: '--upload-pack=x' }, 'tag'],
    ['a tag with two dots', plannedEvent(), { tag: 'v1..2' }, 'tag'],
    ['a commit that is a name', plannedEvent(), { commit: 'main' }, 'commit'],
    [
      'an address with a user',
      deliveredEvent('office', 1),
      { address: 'https://me@files.fenmarsh.example/a' },
      'address',
    ],
    [
      'an address with a password',
      deliveredEvent('office', 1),
      { address: 'https://:pw@files.fenmarsh.example/a' },
      'address',
    ],
    ['a time that is none', plannedEvent(), { at: '2026-13-01T00:00:00.000Z' }, 'at'],
    ['a negative place', plannedEvent(), { seq: -1 }, 'seq'],
    [
      'an artifact that is a path',
      plannedEvent(),
      { artifacts: [{ ...artifactRecord('a'), file: '../../.bashrc' }] },
      'artifacts',
    ],
    [
      'an artifact outside its folder',
      plannedEvent(),
      { artifacts: [{ ...artifactRecord('a'), file: 'x/../../a.tgz' }] },
      'artifacts',
    ],
    ['an artifact named twice', plannedEvent(), { artifacts: [artifactRecord('a'), artifactRecord('A')] }, 'artifacts'],
    [
      'a digest of another length',
      plannedEvent(),
      { artifacts: [{ ...artifactRecord('a'), sha256: 'aa' }] },
      'artifacts',
    ],
    [
      'an artifact with a field too many',
      plannedEvent(),
      { artifacts: [{ ...artifactRecord('a'), run: 'x' }] },
      'artifacts',
    ],
    ['a folder that climbs', plannedEvent(), { about: { ...plannedEvent().about, folder: '../x' } }, 'about'],
    ['an address with a password', deliveredEvent('office', 1), { address: 'https://a:b@office.example/' }, 'address'],
    ['an address that runs something', deliveredEvent('office', 1), { address: 'javascript:alert(1)' }, 'address'],
    ['a folder address that climbs', deliveredEvent('office', 1), { address: '/srv/../etc/a.tgz' }, 'address'],
    [
      'an address with a line break',
      deliveredEvent('office', 1),
      { address: 'https://office.example/\n-o x' },
      'address',
    ],
    [
      'a state that does not exist',
      ledgerEvent({ type: 'confirmed', destination: 'o', artifact: 'a', why: null }),
      { confirmed: 'yes' },
      'confirmed',
    ],
    [
      'a reason without end',
      ledgerEvent({ type: 'withdrawn', destination: 'o', how: 'h' }),
      { reason: 'x'.repeat(5000) },
      'reason',
    ],
    ['a field too many', ledgerEvent({ type: 'abandoned' }), { because: 'x' }, 'because'],
  ])('with %s is damaged', (_, event, more, field) => {
    expect(parse(changed(event, more))).toMatchObject({ type: 'damaged', why: expect.stringContaining(field) });
  });

  it('without any one of its fields is damaged', () => {
    const event = plannedEvent();
    for (const field of Object.keys(event)) {
      const { [field]: _, ...rest } = event as unknown as Record<string, unknown>;
      expect(parseEvent(JSON.stringify(rest), pathOf(event)), field).toMatchObject({ type: 'damaged' });
    }
  });

  it('is damaged if it was changed after writing, or moved', () => {
    const event = deliveredEvent('office', 1);

    expect(parse({ ...event, address: 'https://attacker.example/a.tgz' })).toMatchObject({
      why: expect.stringContaining('id'),
    });
    expect(parseEvent(JSON.stringify(event), pathOf({ ...event, version: '1.5.0' }))).toMatchObject({
      type: 'damaged',
    });
  });

  it('never makes the reader fail, whatever the file contains', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.json(),
          fc.object().map((value) => JSON.stringify(value)),
        ),
        (text) => {
          expect(['damaged', 'unknown']).toContain(parseEvent(text, 'a/1.0.0/x.json').type);
        },
      ),
    );
  });
});

describe('a plan', () => {
  it('has the same digest whatever the order of its keys, and another for any other content', () => {
    const plan = plannedEvent();
    const reversed = Object.fromEntries(Object.entries(plan).reverse()) as typeof plan;

    expect(planDigest(reversed)).toBe(planDigest(plan));
    expect(planDigest({ ...plan, run: 'another', at: 'another' })).toBe(planDigest(plan));
    for (const field of ['package', 'version', 'commit', 'source', 'tag', 'contents'] as const)
      expect(planDigest({ ...plan, [field]: `${plan[field]}0` })).not.toBe(planDigest(plan));
    expect(planDigest({ ...plan, destinations: ['office'] })).not.toBe(planDigest(plan));
  });

  it.each([
    [{ b: 1, a: [true, null, 'é\n'] }, '{"a":[true,null,"é\\n"],"b":1}'],
    [{ a: undefined, '\u20ac': 1, '1': 2 }, '{"1":2,"\u20ac":1}'],
  ])('%j is written in one way', (value, text) => {
    expect(canonicalJson(value)).toBe(text);
  });
});

it.each([
  [`tidemark/1.4.0/${ledgerEvent({ type: 'abandoned' }).id}.json`, true],
  [`@signals/lamps/1.4.0/contents-${'a'.repeat(64)}.json`, true],
  ['tidemark/1.4.0/x.json', false],
  [`../1.4.0/contents-${'a'.repeat(64)}.json`, false],
  [`tidemark/1.4/contents-${'a'.repeat(64)}.json`, false],
])('%s belongs into a ledger: %s', (file, isOwn) => {
  expect(isLedgerPath(file)).toBe(isOwn);
});
