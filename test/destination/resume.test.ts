import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import { expect, it } from 'vitest';
import { bytesAt, destinationAt, parcelOfBytes, quietly, testStandin } from '../builders/parcel.ts';

const uploadsOf = (asked: readonly string[], pattern: RegExp) => asked.filter((line) => pattern.test(line)).length;

it('an object store gets only the parts that an upload cut short has not left', async () => {
  const standin = await testStandin();
  const parcel = parcelOfBytes(randomBytes(30 << 20));
  const first = await destinationAt('s3', standin);
  // The third of four parts fails, and whoever tries it again.
  standin.faults.add({ type: 'status', status: 400, method: 'PUT', path: /partNumber=3/, times: 1 });
  await expect(first.deliver(parcel, quietly(parcel))).rejects.toMatchObject({ code: 'DESTINATION_REFUSED' });
  const before = uploadsOf(standin.faults.asked, /^PUT .*partNumber=\d/);

  const second = await destinationAt('s3', standin);
  const moved: number[] = [];
  const address = await second.deliver(parcel, { all: [parcel], moved: (bytes) => moved.push(bytes) });

  const after = uploadsOf(standin.faults.asked, /^PUT .*partNumber=\d/) - before;
  expect(after).toBeLessThan(4);
  expect(uploadsOf(standin.faults.asked, /^POST .*uploads/)).toBe(1);
  expect(moved.reduce((sum, bytes) => sum + bytes, 0)).toBe(parcel.sizeBytes);
  expect((await bytesAt(second, address)).equals(readFileSync(parcel.file))).toBe(true);
});

it.each([
  ['the connection is cut', { type: 'reset', afterBytes: 1000 } as const],
  ['the answer is lost', { type: 'lost-answer' } as const],
])('a registry is asked how far a chunked blob came when %s, and gets the rest', async (_, fault) => {
  const standin = await testStandin({ faults: [{ ...fault, method: 'PATCH', times: 1 }] });
  const destination = await destinationAt('oci', standin);
  const parcel = parcelOfBytes(randomBytes(70 << 20));

  const address = await destination.deliver(parcel, quietly(parcel));

  expect((await bytesAt(destination, address)).equals(readFileSync(parcel.file))).toBe(true);
  expect(uploadsOf(standin.faults.asked, /^GET .*blobs\/uploads\//)).toBe(1);
  // One for the empty configuration, asked for again with a token, and one for the blob: it is not begun anew.
  expect(uploadsOf(standin.faults.asked, /^POST .*blobs\/uploads\//)).toBe(3);
});

it('a part of an object is had by its range, over the borders of parts', async () => {
  const standin = await testStandin();
  const destination = await destinationAt('s3', standin);
  const parcel = parcelOfBytes(randomBytes(20 << 20));
  const address = await destination.deliver(parcel, quietly(parcel));

  const border = 8 << 20;
  const answer = await fetch(address, { headers: { range: `bytes=${border - 2}-${border + 1}` } });

  expect(answer.status).toBe(206);
  const bytes = Buffer.from(await answer.arrayBuffer());
  expect(bytes.equals(readFileSync(parcel.file).subarray(border - 2, border + 2))).toBe(true);
});
