import { readFileSync, writeFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { remoteProtocols } from '../../src/core/name/protocol.ts';
import { asking, bytesAt, destinationAt, parcelFor, quietly, testStandin } from '../builders/parcel.ts';
import { goodToken, tokenFor } from '../builders/workspace.ts';

const subjectOf = ({ packageName, name, version, spellings }: Awaited<ReturnType<typeof parcelFor>>) => ({
  packageName,
  name,
  version,
  spellings,
});

describe.each(remoteProtocols)('%s', (speaks) => {
  it('takes a parcel once: absent, delivered, the same; its bytes come back and readers find it', async () => {
    const destination = await destinationAt(speaks, await testStandin());
    const parcel = await parcelFor(speaks);

    const before = await destination.find(parcel, [parcel]);
    const freeBefore = await destination.nameState(subjectOf(parcel));
    const moved: number[] = [];
    const address = await destination.deliver(parcel, { all: [parcel], moved: (bytes) => moved.push(bytes) });
    const pointed = await destination.point([parcel]);
    const after = await destination.find(parcel, [parcel]);
    const again = await destination.point([parcel]);

    expect(before).toEqual({ type: 'absent' });
    expect(freeBefore.versionState).toBe('free');
    expect(after).toEqual({ type: 'same', address });
    expect((await bytesAt(destination, address)).equals(readFileSync(parcel.file))).toBe(true);
    expect(moved.reduce((sum, bytes) => sum + bytes, 0)).toBe(parcel.sizeBytes);
    expect(again.map(({ moved: isMoved }) => isMoved)).toEqual(pointed.map(() => false));
    expect(await destination.isListed(parcel)).toBe(true);
    expect((await destination.nameState(subjectOf(parcel))).versionState).toBe('there');
  });

  it('tells other bytes of the same version apart, and never replaces them', async () => {
    const destination = await destinationAt(speaks, await testStandin());
    const [first, other] = [await parcelFor(speaks), await parcelFor(speaks, 'other tides')];
    const address = await destination.deliver(first, quietly(first));
    await destination.point([first]);

    expect(await destination.find(other, [other])).toMatchObject({ type: 'different' });
    if (speaks !== 'oci')
      await expect(destination.deliver(other, quietly(other))).rejects.toMatchObject({ exitCode: 5 });
    expect((await bytesAt(destination, address)).equals(readFileSync(first.file))).toBe(true);
  });

  it.each([
    ['a wrong token', 'wrong-token-0000', {}],
    ['a token that may only read', 'reading-token-11', {}],
    ['a token for another package', 'gauges-token-222', {}],
  ])('is refused with %s, before and when it is used', async (_, token) => {
    const tokens = [
      tokenFor('reading-token-11', { may: 'read' }),
      tokenFor('gauges-token-222', { only: 'gauges' }),
      tokenFor(goodToken),
    ];
    const standin = await testStandin({ tokens });
    const maker = await destinationAt(speaks, standin);
    const parcel = await parcelFor(speaks);
    if (speaks === 's3') {
      const other = { ...parcel, packageName: 'other' };
      await maker.deliver(other, quietly(other));
    }
    const destination = await destinationAt(speaks, standin, { token });

    await expect(destination.deliver(parcel, quietly(parcel))).rejects.toMatchObject({ code: 'CREDENTIAL_REFUSED' });
    expect(await maker.find(parcel, [parcel])).toEqual({ type: 'absent' });
  });

  it('says whether it takes the credential', async () => {
    const standin = await testStandin({ isPrivate: true });
    const parcel = await parcelFor(speaks);
    const good = await destinationAt(speaks, standin);
    await good.deliver(parcel, quietly(parcel));

    const taken = await good.access(subjectOf(parcel), asking);
    const refused = await (await destinationAt(speaks, standin, { token: 'wrong-token-0000' })).access(
      subjectOf(parcel),
      asking,
    );

    expect(['accepted', 'unknown']).toContain(taken.credential);
    expect(refused.credential).toBe('refused');
    expect(refused.why).toMatch(/40[13]/);
  });

  it('never sends a file whole that was changed meanwhile', async () => {
    const destination = await destinationAt(speaks, await testStandin());
    const parcel = await parcelFor(speaks);
    writeFileSync(parcel.file, readFileSync(parcel.file).fill(0x20, 1));

    await expect(destination.deliver(parcel, quietly(parcel))).rejects.toMatchObject({ code: 'FILE_CHANGED' });
    expect((await destination.find(parcel, [parcel])).type).toBe('absent');
  });

  it('takes a release back, or says that it cannot', async () => {
    const destination = await destinationAt(speaks, await testStandin());
    const parcel = await parcelFor(speaks);
    const address = await destination.deliver(parcel, quietly(parcel));
    await destination.point([parcel]);
    const delivered = [{ artifact: parcel.fileName, address, sha256: parcel.sha256 }];

    const withdrawing = destination.withdraw(subjectOf(parcel), { delivered, reason: 'wrong tides', erase: false });

    if (speaks === 'python-index') {
      await expect(withdrawing).rejects.toMatchObject({ code: 'WITHDRAW_IMPOSSIBLE' });
      return;
    }
    const { how } = await withdrawing;
    expect(how).toMatch(/^(?:deprecated|unlisted|yanked|taken off the list|deleted|untagged and deleted)/);
    expect((await destination.find(parcel, [parcel])).type).toBe(/delete/.test(how) ? 'absent' : 'same');
  });
});

it('an npm registry deletes a young version on request, and refuses when it is too old', async () => {
  let now = new Date('2026-11-23T08:00:00Z');
  const destination = await destinationAt('npm-registry', await testStandin({ now: () => now }));
  const [first, second] = [await parcelFor('npm-registry'), await parcelFor('npm-registry', 'tides', '1.5.0')];
  for (const parcel of [first, second]) await destination.deliver(parcel, quietly(parcel));

  const erased = await destination.withdraw(subjectOf(second), { delivered: [], reason: 'wrong tides', erase: true });
  now = new Date('2026-12-23T08:00:00Z');
  const late = destination.withdraw(subjectOf(first), { delivered: [], reason: 'wrong tides', erase: true });

  expect(erased.how).toBe('deleted');
  expect((await destination.find(second, [second])).type).toBe('absent');
  await expect(late).rejects.toMatchObject({ code: 'WITHDRAW_IMPOSSIBLE', why: expect.stringContaining('405') });
  // A version that was taken back stays used up.
  await expect(destination.deliver(second, quietly(second))).rejects.toMatchObject({ code: 'DELIVERY_EXISTS' });
});
