import { createHash, randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { asking, bytesAt, destinationAt, parcelFor, parcelOfBytes, quietly, testStandin } from '../builders/parcel.ts';
import { goodToken } from '../builders/workspace.ts';

describe('an object store without conditional writes', () => {
  const open = async () => {
    const standin = await testStandin({ lacks: ['conditional-writes'] });
    return { standin, destination: await destinationAt('s3', standin) };
  };

  it('says so when a probe may write', async () => {
    const { destination } = await open();
    const parcel = await parcelFor('s3');
    await destination.deliver(parcel, quietly(parcel));

    const { why, untested } = await destination.access(parcel, { mayWrite: true, lists: true });
    expect([why, untested]).toEqual([
      'without conditional writes: each object is looked for, written and read back',
      [],
    ]);
  });

  it.each([
    ['in one piece', 100],
    ['in parts', 17 << 20],
  ])('takes a file %s, never over another one', async (_, sizeBytes) => {
    const { destination } = await open();
    const [parcel, other] = [parcelOfBytes(randomBytes(sizeBytes)), parcelOfBytes(randomBytes(sizeBytes))];

    const address = await destination.deliver(parcel, quietly(parcel));
    expect((await bytesAt(destination, address)).equals(readFileSync(parcel.file))).toBe(true);
    await expect(destination.deliver(other, quietly(other))).rejects.toMatchObject({
      code: 'DESTINATION_REFUSED',
      why: 'an object came to be there meanwhile',
    });
    expect(await destination.find(parcel, [parcel])).toEqual({ type: 'same', address });
  });

  it('keeps what others wrote in the list of digests', async () => {
    const { standin, destination } = await open();
    const other = await destinationAt('s3', standin);
    const parcels = ['a', 'b', 'c', 'd'].map((name) =>
      parcelOfBytes(Buffer.from(name), { fileName: `${name}-1.4.0.tar.gz` }),
    );
    for (const [index, parcel] of parcels.entries()) {
      const at = index % 2 === 0 ? destination : other;
      await at.deliver(parcel, quietly(parcel));
      await at.point([parcel]);
    }

    const sums = await bytesAt(destination, `${destination.url}tidemark/1.4.0/SHA256SUMS`);
    expect(sums.toString().trim().split('\n')).toHaveLength(4);
  });
});

it('gives a single upload the MD5 of its bytes as its entity tag', async () => {
  const standin = await testStandin();
  const destination = await destinationAt('s3', standin);
  const parcel = await parcelFor('s3');
  const address = await destination.deliver(parcel, quietly(parcel));

  const answer = await fetch(address);
  const md5 = createHash('md5').update(readFileSync(parcel.file)).digest('hex');
  expect(answer.headers.get('etag')).toBe(`"${md5}"`);
});

it('takes ACCESS:SECRET as one text', async () => {
  const parcel = await parcelFor('s3');
  const standin = await testStandin();
  const destination = await destinationAt('s3', standin, {
    credential: 'env:TIDE_TOKEN',
    token: `harbour:${goodToken}`,
  });
  await destination.deliver(parcel, quietly(parcel));

  expect((await destination.access(parcel, asking)).credential).toBe('accepted');
  for (const token of [goodToken, `office:harbour:${goodToken}`])
    await expect(destinationAt('s3', standin, { credential: 'env:TIDE_TOKEN', token })).rejects.toMatchObject({
      code: 'CREDENTIAL_KIND',
    });
});

it('lists its buckets to a probe that asks for them', async () => {
  const destination = await destinationAt('s3', await testStandin());
  const parcel = await parcelFor('s3');
  await destination.deliver(parcel, quietly(parcel));

  const { places } = await destination.access(parcel, { mayWrite: false, lists: true });
  expect(places).toEqual(['tide-releases']);
});
