import { randomBytes } from 'node:crypto';
import { deflateRawSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { Deflaters } from '../../src/world/archive/deflaters.ts';

it('compress many at once, each as if it were the first', async () => {
  const text = (length: number) =>
    Buffer.from('high water at the bar, '.repeat(Math.ceil(length / 23))).subarray(0, length);
  const lengths = [0, 1, 30, 70_000, 1 << 20, (1 << 20) + 1, 3_000_000];
  const all = Array.from({ length: 60 }, (_, index) => {
    const length = lengths[index % lengths.length] ?? 0;
    return index % 3 === 0 ? randomBytes(length) : text(length);
  });
  const deflaters = new Deflaters(5);

  const deflated = await Promise.all(all.map((bytes) => deflaters.deflate(bytes)));
  deflaters.end();

  for (const [index, bytes] of all.entries())
    expect(deflated[index]?.equals(deflateRawSync(bytes, { level: 5 }))).toBe(true);
});
