import { describe, expect, it } from 'vitest';
import {
  coordinatesOf,
  filePath,
  formatSnapshotMetadata,
  formatVersionMetadata,
  kindOf,
  metadataTime,
  parseSnapshotMetadata,
  parseVersionMetadata,
  withoutVersion,
  withVersion,
} from '../../../src/core/protocol/maven-layout/maven-layout.ts';

const coordinates = { groupId: 'example.fenmarsh', artifactId: 'tidemark', version: '1.4.0' };
const at = new Date('2026-11-23T08:00:00Z');

describe('the layout', () => {
  it.each([
    ['jar', 'tidemark-1.4.0.jar', null, 'tidemark-1.4.0.jar'],
    ['sources-jar', 'x.jar', null, 'tidemark-1.4.0-sources.jar'],
    ['documentation-jar', 'x.jar', null, 'tidemark-1.4.0-javadoc.jar'],
    ['pom', 'pom.xml', null, 'tidemark-1.4.0.pom'],
    ['jar', 'tidemark-1.4.0-tests.jar', null, 'tidemark-1.4.0-tests.jar'],
    ['war', 'tidemark-1.4.0.war', null, 'tidemark-1.4.0.war'],
    ['ear', 'tidemark-1.4.0-harbour.ear', null, 'tidemark-1.4.0-harbour.ear'],
    ['tar.gz', 'tidemark.tar.gz', 'linux-x64', 'tidemark-1.4.0-linux-x64.tar.gz'],
  ])('puts a %s at its place', (form, fileName, platform, expected) => {
    const path = filePath(coordinates, kindOf({ form, fileName, platform }, coordinates), null);

    expect(path).toBe(`example/fenmarsh/tidemark/1.4.0/${expected}`);
  });

  it('names a snapshot by time and number, below the version that says SNAPSHOT', () => {
    const snapshot = { ...coordinates, version: '1.5.0-SNAPSHOT' };
    const stamp = { timestamp: metadataTime(at).dotted, buildNumber: 4 };

    expect(filePath(snapshot, kindOf({ form: 'jar', fileName: '', platform: null }, snapshot), stamp)).toBe(
      'example/fenmarsh/tidemark/1.5.0-SNAPSHOT/tidemark-1.5.0-20261123.080000-4.jar',
    );
  });

  it.each([
    ['example.fenmarsh:tidemark', { groupId: 'example.fenmarsh', artifactId: 'tidemark', version: '1' }],
    ['tidemark', null],
    ['a:b:c', null],
    [':tidemark', null],
  ])('reads the name %s', (name, expected) => {
    expect(coordinatesOf(name, '1')).toEqual(expected);
  });
});

describe('the metadata', () => {
  // As a repository manager writes it, with what we never write.
  const theirs = `<?xml version="1.0" encoding="UTF-8"?>
<metadata>
  <groupId>example.fenmarsh</groupId>
  <artifactId>tidemark</artifactId>
  <versioning>
    <latest>1.3.0</latest>
    <release>1.3.0</release>
    <versions>
      <version>1.10</version>
      <version>1.3.0</version>
    </versions>
    <lastUpdated>20260101000000</lastUpdated>
  </versioning>
  <plugins/>
</metadata>`;

  it('gains a version, keeps the others as they were written, and leads to the new one', () => {
    const before = parseVersionMetadata(theirs);

    const after = withVersion(before, { version: '1.4.0', isHighest: true, at });

    expect(before?.versions).toEqual(['1.10', '1.3.0']);
    expect(after).toEqual({
      latest: '1.4.0',
      release: '1.4.0',
      versions: ['1.10', '1.3.0', '1.4.0'],
      lastUpdated: '20261123080000',
    });
    expect(parseVersionMetadata(formatVersionMetadata(coordinates, after))).toEqual(after);
  });

  it.each([
    ['a maintenance release beside a newer one', '1.2.9', false, '1.3.0', '1.3.0'],
    ['a snapshot', '1.5.0-SNAPSHOT', true, '1.5.0-SNAPSHOT', '1.3.0'],
  ])('does not lead to %s as the release', (_, version, isHighest, latest, release) => {
    const after = withVersion(parseVersionMetadata(theirs), { version, isHighest, at });

    expect(after).toMatchObject({ latest, release });
    expect(after.versions).toContain(version);
  });

  it('is the same value when there is nothing to change, so nothing is written', () => {
    const once = withVersion(null, { version: '1.4.0', isHighest: true, at });

    expect(withVersion(once, { version: '1.4.0', isHighest: true, at: new Date(0) })).toBe(once);
  });

  it('loses a withdrawn version, and falls back to the last release that is left', () => {
    const both = withVersion(parseVersionMetadata(theirs), { version: '1.4.0', isHighest: true, at });

    expect(withoutVersion(both, '1.4.0', at)).toMatchObject({
      latest: '1.3.0',
      release: '1.3.0',
      versions: ['1.10', '1.3.0'],
    });
  });

  it('of a snapshot names every file with classifier and time', () => {
    const files = [
      { classifier: '', extension: 'jar', value: '1.5.0-20261123.080000-4', updated: '20261123080000' },
      { classifier: 'sources', extension: 'jar', value: '1.5.0-20261123.080000-4', updated: '20261123080000' },
    ];
    const metadata = { timestamp: '20261123.080000', buildNumber: 4, lastUpdated: '20261123080000', files };
    const text = formatSnapshotMetadata({ ...coordinates, version: '1.5.0-SNAPSHOT' }, metadata);

    expect(text).toContain('<version>1.5.0-SNAPSHOT</version>');
    expect(parseSnapshotMetadata(text)).toEqual(metadata);
  });

  it.each(['', 'plain text', '<html/>', '<metadata>'])('rejects text that is not metadata: %j', (text) => {
    expect(parseSnapshotMetadata(text)).toBeNull();
    if (text !== '<metadata>') expect(parseVersionMetadata(text)).toBeNull();
  });
});
