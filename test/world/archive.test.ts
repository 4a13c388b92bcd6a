import { execFileSync } from 'node:child_process';
import { createHash, randomBytes } from 'node:crypto';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { gunzipSync, gzipSync } from 'node:zlib';
import fc from 'fast-check';
import { pack } from 'tar-stream';
import { describe, expect, it } from 'vitest';
import { ordinaryLimits } from '../../src/world/archive/budget.ts';
import { gzip } from '../../src/world/archive/gzip.ts';
import { readArchive } from '../../src/world/archive/read-archive.ts';
import { writeTarGz } from '../../src/world/archive/write-tar.ts';
import { temporaryFolder } from '../builders/repository.ts';

async function* inChunks(bytes: Uint8Array, size: number): AsyncGenerator<Uint8Array> {
  for (let at = 0; at < bytes.length; at += size) yield bytes.subarray(at, at + size);
}

async function collect(chunks: AsyncIterable<Uint8Array>): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const chunk of chunks) parts.push(chunk);
  return Buffer.concat(parts);
}

/** Bytes that compress a little, the same at every run. */
function sample(sizeBytes: number): Buffer {
  const bytes = Buffer.alloc(sizeBytes);
  let state = 7;
  for (let at = 0; at < sizeBytes; at++) {
    state = (state * 1103515245 + 12345) & 0x7fffffff;
    bytes[at] = state >> 27;
  }
  return bytes;
}

describe('gzip', () => {
  it.each([0, 1, 1 << 20, (1 << 20) + 1, 3_300_000])(
    'packs %i bytes so that others unpack them, the same for any chunks and any number at work',
    async (size) => {
      const bytes = sample(size);

      const item = await collect(gzip(inChunks(bytes, 999_983), 1));
      const many = await collect(gzip(inChunks(bytes, 65_536), 8));

      expect(gunzipSync(item).equals(bytes)).toBe(true);
      expect(many.equals(item)).toBe(true);
    },
  );
});

describe('bytes that are compressed already', () => {
  // Beside text, in pieces that begin and end anywhere, so that stored and deflated blocks follow each other.
  const random = () => randomBytes(700_001);
  it.each([
    ['alone', () => random()],
    ['at the end', () => Buffer.concat([sample(1_900_000), random()])],
    ['at the beginning', () => Buffer.concat([random(), sample(900_000)])],
    ['in between', () => Buffer.concat([sample(300_000), random(), sample(1_100_000), random(), sample(40)])],
  ])('are stored, %s, and everything is read as it was', async (_, make) => {
    const bytes = make();

    const packed = await collect(gzip(inChunks(bytes, 99_991)));

    expect(gunzipSync(packed).equals(bytes)).toBe(true);
    expect(packed.length).toBeLessThanOrEqual(gzipSync(bytes).length * 1.1);
  });

  it('do not come back in other blocks: memory is used again only when nothing refers to it', async () => {
    const blocks = Array.from({ length: 12 }, (_, index) =>
      index % 3 === 1 ? randomBytes(1 << 20) : Buffer.from(`gauge ${index} `.repeat(150_000)).subarray(0, 1 << 20),
    );

    const packed = await collect(gzip(inChunks(Buffer.concat(blocks), 1 << 17), 2));

    expect(gunzipSync(packed).equals(Buffer.concat(blocks))).toBe(true);
  });
});

describe('a written archive', () => {
  const time = 1_700_000_000;
  async function write(name: string, files: Readonly<Record<string, string>>) {
    const folder = temporaryFolder();
    const inputs = Object.entries(files).map(([inside, text], index) => {
      const file = path.join(folder, String(index));
      writeFileSync(file, text);
      return {
        path: inside,
        mode: 0o644,
        content: { type: 'file' as const, file, sizeBytes: Buffer.byteLength(text) },
        origin: { type: 'generated' as const },
      };
    });
    const archive = path.join(folder, name);
    return { archive, inputs, written: await writeTarGz(archive, inputs, { mtime: time }) };
  }

  it('can be listed and unpacked by tar, with the reported digests', async () => {
    const files = { 'p/a.txt': 'tide\n', [`p/${'long/'.repeat(40)}b.txt`]: '', 'p/ä.txt': 'x'.repeat(5000) };

    const { archive, written } = await write('a.tgz', files);

    const listed = execFileSync('tar', ['-tzf', archive, '--quoting-style=literal'], { encoding: 'utf8' })
      .trim()
      .split('\n');
    expect(listed).toEqual(Object.keys(files));
    expect(written.sha256).toBe(createHash('sha256').update(readFileSync(archive)).digest('hex'));
    expect(execFileSync('tar', ['--utc', '--numeric-owner', '-tvzf', archive], { encoding: 'utf8' })).toMatch(
      /^-rw-r--r-- 0\/0 +5 2023-11-14 22:13 p\/a\.txt$/m,
    );
    const read = await readArchive(archive);
    expect(read.entries.map(({ path: inside, sha256 }) => [inside, sha256])).toEqual(
      written.entries.map(({ path: inside, sha256 }) => [inside, sha256]),
    );
  });

  it('is refused when a file grew or shrank meanwhile', async () => {
    const { inputs } = await write('a.tgz', { a: '12345' });

    for (const sizeBytes of [4, 6]) {
      const wrong = inputs.map((input) => ({ ...input, content: { ...input.content, sizeBytes } }));
      await expect(writeTarGz(path.join(temporaryFolder(), 'b.tgz'), wrong, { mtime: time })).rejects.toMatchObject({
        code: 'FILE_CHANGED',
      });
    }
  });
});

describe('reading an archive', () => {
  const place = () => path.join(temporaryFolder(), 'x.tgz');
  const tarOf = async (files: Readonly<Record<string, string | number>>) => {
    const packed = pack();
    for (const [name, text] of Object.entries(files))
      packed.entry({ name }, typeof text === 'string' ? text : Buffer.alloc(text));
    packed.finalize();
    return gzipSync(await collect(packed as AsyncIterable<Buffer>));
  };

  it('cut off anywhere ends in an error, never in a shorter list', async () => {
    const whole = await tarOf({ 'p/a': 'x'.repeat(2000), 'p/b': 'y' });
    await fc.assert(
      fc.asyncProperty(fc.integer({ min: 0, max: whole.length - 9 }), async (length) => {
        const file = place();
        writeFileSync(file, whole.subarray(0, length));
        await expect(readArchive(file)).rejects.toMatchObject({ code: 'ARCHIVE_DAMAGED', where: { file } });
      }),
      { numRuns: 40 },
    );
  });

  it.each([
    ['text that is not an archive', Buffer.from('tide'), 'ARCHIVE_DAMAGED'],
    ['an archive of nothing', gzipSync(Buffer.alloc(1024)), 'ARCHIVE_DAMAGED'],
    ['a gzip of rubbish', gzipSync(Buffer.alloc(2048, 'x')), 'ARCHIVE_DAMAGED'],
  ])('%s is refused', async (_, bytes, code) => {
    const file = place();
    writeFileSync(file, bytes);

    await expect(readArchive(file)).rejects.toMatchObject({ code });
  });

  it('stops at its limits', async () => {
    const file = place();
    writeFileSync(file, await tarOf({ 'p/a': 5_000_000, 'p/b': 'x' }));

    await expect(readArchive(file, {}, { ...ordinaryLimits, unpackedBytes: 4_000_000 })).rejects.toMatchObject({
      code: 'ARCHIVE_TOO_LARGE',
    });
    await expect(readArchive(file, {}, { ...ordinaryLimits, entries: 1 })).rejects.toMatchObject({
      code: 'ARCHIVE_TOO_LARGE',
    });
    await expect(readArchive(path.join(file, 'nowhere'))).rejects.toMatchObject({ code: 'FILE_NOT_FOUND' });
    await expect(readArchive(`${file}x`)).rejects.toMatchObject({ code: 'FILE_NOT_FOUND' });
  });
});
