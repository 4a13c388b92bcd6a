import { readdirSync, readFileSync, rmSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { writeStream } from '../../src/world/files.ts';
import { temporaryFolder } from '../builders/repository.ts';

async function* pieces(failsAfter: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < 3; at++) {
    if (at === failsAfter) throw new Error('the tide went out');
    yield Buffer.from(`${at}`);
  }
}

describe('writing what comes into a file', () => {
  it('leaves a file that is complete', async () => {
    const file = path.join(temporaryFolder(), 'tides');

    await writeStream(file, pieces(3));

    expect(readFileSync(file, 'utf8')).toBe('012');
  });

  it.each([0, 1, 2])(
    'has closed it when it fails after %i pieces, so that it can be removed for good',
    async (after) => {
      const folder = temporaryFolder();

      for (let times = 0; times < 50; times++) {
        const file = path.join(folder, `tides-${times}`);
        await expect(writeStream(file, pieces(after))).rejects.toThrow('the tide went out');
        rmSync(file, { force: true });
      }
      // Whatever the system is still about to do comes before this answer.
      await writeStream(path.join(folder, 'last'), pieces(3));

      expect(readdirSync(folder)).toEqual(['last']);
    },
  );

  it('says why a file cannot be made', async () => {
    await expect(writeStream(path.join(temporaryFolder(), 'no/tides'), pieces(3))).rejects.toMatchObject({
      code: 'ENOENT',
    });
  });
});
