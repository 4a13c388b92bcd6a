import { describe, expect, it } from 'vitest';
import { unreadTagNote, usualTagPattern } from '../../../src/core/ecosystem/package-tags.ts';
import { strictReading } from '../../../src/core/version/loose-version.ts';

describe('the usual tags', () => {
  it.each([
    ['node', 'packages/tidemark', 1, 'v{version}'],
    ['node', 'packages/tidemark', 2, '{package}/{version}'],
    // Go Modules Reference, "Mapping versions to commits".
    ['go', '', 1, 'v{version}'],
    ['go', '', 3, 'v{version}'],
    ['go', 'packages/bells', 1, 'packages/bells/v{version}'],
    ['go', 'packages/bells/v2', 2, 'packages/bells/v{version}'],
    ['go', 'v3', 1, 'v{version}'],
    ['go', 'packages/bells/v12', 2, 'packages/bells/v{version}'],
    ['go', 'packages/rev2', 1, 'packages/rev2/v{version}'],
    ['go', 'packages/v1', 1, 'packages/v1/v{version}'],
  ] as const)('of %s in "%s", one of %i packages, are %s', (ecosystem, folder, packages, expected) => {
    expect(usualTagPattern({ folder, ecosystem }, packages).read).toBe(expected);
  });
});

describe('a tag that clients do not find', () => {
  const bells = { name: 'bells', folder: 'packages/bells', ecosystem: 'go' } as const;

  it.each(['{package}/{version}', 'v{version}', '{folder}/{version}', 'bells-v{version}'])('as %s is noted', (read) => {
    expect(unreadTagNote({ ...bells, tags: [{ ...strictReading, read }] })).toContain('packages/bells/v1.4.0');
  });

  it.each(['{folder}/v{version}', 'packages/bells/v{version}'])('is not one as %s', (read) => {
    expect(unreadTagNote({ ...bells, tags: [{ ...strictReading, read }] })).toBeNull();
  });

  it('does not matter elsewhere', () => {
    expect(unreadTagNote({ ...bells, ecosystem: 'node', tags: [{ ...strictReading, read: '{version}' }] })).toBeNull();
  });
});
