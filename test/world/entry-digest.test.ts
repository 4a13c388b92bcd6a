import { hash } from 'node:crypto';
import fc from 'fast-check';
import { expect, it } from 'vitest';
import { EntryDigests } from '../../src/world/archive/entry-digest.ts';

/** Bytes of an entry, in pieces; `claims` is what its header says of their number. */
type Given = { readonly pieces: readonly Buffer[]; readonly claims: number };

const whole = ({ pieces }: Given) => Buffer.concat(pieces);

async function digestsOf(entries: readonly Given[], isBusy: boolean): Promise<readonly string[]> {
  const digests = new EntryDigests(isBusy);
  for (const { pieces, claims } of entries) {
    const entry = digests.begin(claims);
    for (const piece of pieces) {
      // The reader of an archive uses its memory again.
      const lent = Buffer.from(piece);
      const behind = entry.update(lent);
      lent.fill(1);
      if (behind !== null) await behind;
    }
    entry.end();
  }
  return digests.finish();
}

const bytes = (size: number) => Buffer.alloc(size, `${size},`);
const honest = (...sizes: number[]): Given => ({
  pieces: sizes.map(bytes),
  claims: sizes.reduce((sum, size) => sum + size, 0),
});
/** So much goes before that a second thread is at work. */
const long = honest(4 << 20);

it.each<[string, Given[]]>([
  ['no entry', []],
  ['entries that come whole, in pieces and without a byte', [honest(5), honest(3, 4), honest()]],
  ['more small ones than fit one batch', [long, ...Array.from({ length: 300 }, (_, at) => honest(9000 + at, at))]],
  ['a large one between small ones', [long, honest(7), honest(1 << 20, 1), honest(8), honest(1 << 20)]],
  ['one that has more bytes than its header says', [long, honest(6), { ...honest(10, 20, 30), claims: 25 }, honest(9)]],
  ['one that has fewer', [long, { ...honest(10), claims: 25 }, honest(9)]],
  ['many batches at once', [long, ...Array.from({ length: 40 }, () => honest(600_000))]],
])('%s', async (_, entries) => {
  const wanted = entries.map((entry) => hash('sha256', whole(entry)));
  expect(await digestsOf(entries, true)).toEqual(wanted);
  expect(await digestsOf(entries, false)).toEqual(wanted);
});

it('digests of any entries are those of their bytes', async () => {
  const entry = fc.record({
    pieces: fc.array(
      fc.uint8Array({ maxLength: 50 }).map((piece) => Buffer.from(piece)),
      { maxLength: 3 },
    ),
    claims: fc.nat({ max: 150 }),
  });
  await fc.assert(
    fc.asyncProperty(fc.array(entry, { maxLength: 20 }), async (entries) => {
      const [, ...found] = await digestsOf([long, ...entries], true);
      expect(found).toEqual(entries.map((one) => hash('sha256', whole(one))));
    }),
    { numRuns: 30 },
  );
});
