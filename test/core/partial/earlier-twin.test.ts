import { describe, expect, it } from 'vitest';
import { earlierTwin } from '../../../src/core/partial/earlier-twin.ts';
import type { ArtifactRecord } from '../../../src/core/record/release-record.ts';

const artifact = (file: string, more: Partial<ArtifactRecord> = {}) =>
  ({ file, form: 'tar.gz', platform: null, ...more }) as ArtifactRecord;

const partial = { base: '0.9.4', added: 1, replaced: 0, removed: 0, commits: 1, issues: [] };

describe('the archive that another one takes the place of', () => {
  it.each<[string, ArtifactRecord[], ArtifactRecord[], string | undefined]>([
    ['has its name', [artifact('t-2.tar.gz')], [artifact('extra-1.tar.gz'), artifact('t-1.tar.gz')], 't-1.tar.gz'],
    ['may have been renamed', [artifact('t-2.tar.gz')], [artifact('old-1.tar.gz')], 'old-1.tar.gz'],
    ['is not guessed', [artifact('extra-2.tar.gz'), artifact('t-2.tar.gz')], [artifact('t-1.tar.gz')], undefined],
    ['is of its form', [artifact('t-2.zip', { form: 'zip' })], [artifact('t-1.tar.gz')], undefined],
    ['is of its platform', [artifact('t-2', { platform: 'linux-x64' })], [artifact('t-1')], undefined],
    ['is whole', [artifact('t-2.tar.gz')], [artifact('t-1.tar.gz', { partial })], undefined],
  ])('%s', (_, now, before, file) => {
    const [after] = now;
    const releases = [
      { version: '2', artifacts: now },
      { version: '1', artifacts: before },
    ] as const;

    expect(after && earlierTwin(after, ...releases)?.file).toBe(file);
  });
});
