import { describe, expect, it } from 'vitest';
import type { Form } from '../../../src/core/name/form.ts';
import type { Protocol } from '../../../src/core/name/protocol.ts';
import { inDependencyOrder, planRoutes, refusesRelease, takesForm } from '../../../src/core/plan/delivery-plan.ts';
import type { ReleaseRecord } from '../../../src/core/record/release-record.ts';
import { destinationConfig } from '../../builders/parcel.ts';

const at = (speaks: Protocol, more = {}) => ({
  ...destinationConfig(speaks, 'https://packages.fenmarsh.example/'),
  ...more,
});

function release(name: string, more: Partial<ReleaseRecord> = {}) {
  const stream = { name: 'stable', type: 'stable', pointer: 'latest' };
  return {
    record: {
      package: name,
      version: '1.0.0',
      needs: [],
      spellings: {},
      stream,
      uncommitted: false,
      ...more,
    } as never as ReleaseRecord,
  };
}

it.each<[Protocol, readonly string[] | null, Form, boolean]>([
  ['npm-registry', null, 'npm-tarball', true],
  ['npm-registry', null, 'wheel', false],
  ['npm-registry', ['wheel'], 'wheel', true],
  ['python-index', null, 'sdist', true],
  ['nuget-v3', null, 'snupkg', true],
  ['maven-layout', null, 'pom', true],
  ['maven-layout', null, 'spdx', true],
  ['oci', null, 'spdx', true],
  ['folder', null, 'deb', true],
  ['s3', ['deb'], 'zip', false],
])('%s with takes %j and the form %s: %s', (speaks, takes, form, isTaken) => {
  expect(takesForm({ speaks, takes }, form)).toBe(isTaken);
});

describe('a destination', () => {
  it.each([
    [null, 'stable', 'stable', null],
    [null, 'looks', 'preview', 'it does not take the stream looks'],
    [['early'], 'stable', 'stable', 'it does not take the stream stable'],
    [['looks'], 'looks', 'preview', null],
  ])('with streams %j answers %s releases with %s', (streams, name, type, refusal) => {
    expect(refusesRelease(at('http-put', { streams }), { stream: { name, type }, spellings: {} })).toBe(refusal);
  });

  it.each([
    [false, '1.0.0', null],
    [false, '1.0.0-SNAPSHOT', 'it takes releases, and this is a snapshot'],
    [true, '1.0.0', 'it takes snapshots alone'],
    [true, '1.0.0-SNAPSHOT', null],
  ])('of the maven layout with snapshots %s answers %s with %s', (snapshots, maven, refusal) => {
    const stream = { name: 'stable', type: 'stable' };

    expect(refusesRelease(at('maven-layout', { snapshots }), { stream, spellings: { maven } })).toBe(refusal);
  });
});

it('puts each release behind what it needs; what is not among them does not count', () => {
  const releases = [release('a', { needs: ['c', 'elsewhere'] }), release('b'), release('c', { needs: ['b'] })];

  expect(inDependencyOrder(releases).map(({ record }) => record.package)).toEqual(['b', 'c', 'a']);
});

describe('routes', () => {
  const destinations = {
    office: at('npm-registry'),
    shelf: at('folder'),
    early: at('http-put', { streams: ['early'] }),
  };

  it('go to the destinations of each package, with the reason where one does not take it', () => {
    const routes = planRoutes(
      [release('a'), release('b')],
      (name) => (name === 'a' ? ['office', 'early'] : ['shelf']),
      destinations,
    );

    expect(
      routes.map(({ release: { record }, destination, refusal }) => [record.package, destination, refusal]),
    ).toEqual([
      ['a', 'office', null],
      ['a', 'early', 'it does not take the stream stable'],
      ['b', 'shelf', null],
    ]);
  });

  it('of a working tree lead to a folder, and never off this machine', () => {
    const looked = release('a', { uncommitted: true, stream: { name: 'uncommitted', type: 'preview', pointer: 'x' } });

    expect(planRoutes([looked], () => ['shelf'], destinations)[0]?.refusal).toBeNull();
    expect(() => planRoutes([looked], () => ['office'], destinations)).toThrow(
      expect.objectContaining({ code: 'UNCOMMITTED_REFUSED' }),
    );
  });
});
