import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { type RemoteProtocol, remoteProtocols } from '../../src/core/name/protocol.ts';
import { type Delivery, deliverShipments } from '../../src/flow/deliver/deliver.ts';
import type { Fault } from '../../src/standin/fault.ts';
import type { Parcel } from '../../src/store/parcel.ts';
import { testContext } from '../builders/context.ts';
import { bytesAt, destinationAt, parcelFor, testStandin } from '../builders/parcel.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { shipmentOf } from '../builders/shipment.ts';

/** The request that carries a file, by protocol. */
const upload: Readonly<Record<RemoteProtocol, { readonly method: string; readonly path: RegExp }>> = {
  'npm-registry': { method: 'PUT', path: /^\/node\/tidemark$/ },
  'python-index': { method: 'POST', path: /^\/python\/$/ },
  'nuget-v3': { method: 'PUT', path: /^\/nuget\/package$/ },
  'maven-layout': { method: 'PUT', path: /\.jar$/ },
  'crate-registry': { method: 'PUT', path: /\/crates\/new$/ },
  'simple-index': { method: 'PUT', path: /\.whl$/ },
  'npm-static': { method: 'PUT', path: /\.tgz$/ },
  'crate-index': { method: 'PUT', path: /\.crate$/ },
  'go-proxy': { method: 'PUT', path: /\.zip$/ },
  'nuget-static': { method: 'PUT', path: /\.nupkg$/ },
  'http-put': { method: 'PUT', path: /\.tar\.gz$/ },
  s3: { method: 'PUT', path: /\.tar\.gz/ },
  // Not the empty configuration, which goes before.
  oci: { method: 'PUT', path: /\/blobs\/uploads\/.*digest=sha256%3A(?!44136fa355)/ },
};

/** The request that fetches it back. */
const download: Readonly<Record<RemoteProtocol, RegExp>> = {
  'npm-registry': /\.tgz$/,
  'python-index': /\.whl$/,
  'nuget-v3': /\.nupkg$/,
  'maven-layout': /\.jar$/,
  'crate-registry': /\/download$/,
  'simple-index': /\.whl$/,
  'npm-static': /\.tgz$/,
  'crate-index': /\.crate$/,
  'go-proxy': /\.zip$/,
  'nuget-static': /\.nupkg$/,
  'http-put': /\.tar\.gz$/,
  s3: /\.tar\.gz/,
  oci: /\/blobs\/sha256/,
};

async function deliverWith(speaks: RemoteProtocol, faults: readonly Fault[], confirmForMs?: number) {
  const standin = await testStandin({ faults });
  const destination = await destinationAt(speaks, standin);
  const parcel = await parcelFor(speaks);
  const context = testContext(temporaryFolder());
  const shipment = shipmentOf(destination, [parcel], confirmForMs);
  const results = await deliverShipments(context, [shipment], { writer: null, isRecorded: () => false });
  const { method, path } = upload[speaks];
  const uploads = standin.faults.asked.filter((line) => {
    const [verb = '', url = ''] = line.split(' ');
    return verb === method && path.test(url.replace(/\?x-id=.*$/, ''));
  });
  return { delivery: results.get(shipment)?.[0] as Delivery, uploads: uploads.length, destination, parcel, context };
}

async function expectWhole(destination: Awaited<ReturnType<typeof destinationAt>>, delivery: Delivery, parcel: Parcel) {
  expect((await bytesAt(destination, delivery.address ?? '')).equals(readFileSync(parcel.file))).toBe(true);
}

describe.each(remoteProtocols)('%s', (speaks) => {
  const at = upload[speaks];

  it.each<[string, Fault, number]>([
    ['a slow answer', { type: 'latency', ms: 300, ...at }, 1],
    ['a connection cut in the middle of the upload', { type: 'reset', afterBytes: 5, ...at }, 2],
    ['too many requests', { type: 'status', status: 429, headers: { 'retry-after': '1' }, ...at }, 2],
    ['a fault of the server', { type: 'status', status: 500, ...at }, 2],
  ])('survives %s: one whole file at the end', async (_, fault, uploads) => {
    const found = await deliverWith(speaks, [fault]);

    expect(found.delivery).toMatchObject({ state: 'delivered', confirmed: 'bytes' });
    expect(found.uploads).toBe(uploads);
    await expectWhole(found.destination, found.delivery, found.parcel);
  });

  it('asks before it sends again when the answer was lost: one upload, found there', async () => {
    const found = await deliverWith(speaks, [{ type: 'lost-answer', ...at }]);

    // A blob without a manifest is not a delivery yet; an object store's client checks by uploading with a condition.
    const state = speaks === 'oci' ? 'delivered' : 'already-there';
    expect(found.delivery.state).toBe(state);
    expect(found.delivery.confirmed).toBe('bytes');
    expect(found.uploads).toBe(speaks === 's3' ? 2 : 1);
    await expectWhole(found.destination, found.delivery, found.parcel);
  });

  it('does not take an answer that was cut for the file', async () => {
    const found = await deliverWith(speaks, [{ type: 'truncate', bytes: 4, method: 'GET', path: download[speaks] }]);

    expect(found.delivery).toMatchObject({ state: 'delivered', confirmed: 'bytes' });
    expect(found.uploads).toBe(1);
  });

  it('fails when there is no room, and half a file is never served', async () => {
    const found = await deliverWith(speaks, [{ type: 'disk-full', room: 3, ...at, times: 9 }], 0);

    expect(found.delivery).toMatchObject({ state: 'failed', why: expect.stringContaining('507') });
    expect((await found.destination.find(found.parcel, [found.parcel])).type).toBe('absent');
  });
});

it.each<RemoteProtocol>(['npm-registry', 'python-index', 'nuget-v3'])(
  'waits, with the reason shown, until %s lists what it took',
  async (speaks) => {
    const { delivery, uploads, context } = await deliverWith(speaks, [{ type: 'hide', ms: 1200, ...upload[speaks] }]);

    expect(delivery.confirmed).toBe('bytes');
    expect(uploads).toBe(1);
    const waited = context.events.flatMap((event) => (event.type === 'waiting' ? [event.why] : []));
    expect(waited.join('\n')).toMatch(/not list|404|does not/);
  },
);

it('continues at one destination while another is down', async () => {
  const [down, up] = [await testStandin(), await testStandin()];
  const parcel = await parcelFor('http-put');
  const bad = shipmentOf(await destinationAt('http-put', down), [parcel]);
  const good = shipmentOf({ ...(await destinationAt('http-put', up)), name: 'other' }, [parcel]);
  await down.close();

  const results = await deliverShipments(testContext(temporaryFolder()), [bad, good], {
    writer: null,
    isRecorded: () => false,
  });

  expect(results.get(bad)?.[0]).toMatchObject({ state: 'failed', why: expect.stringContaining('nothing listens') });
  expect(results.get(good)?.[0]).toMatchObject({ state: 'delivered', confirmed: 'bytes' });
});
