import { execFileSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { expect } from 'vitest';
import type { Protocol } from '../../src/core/name/protocol.ts';
import type { Destination } from '../../src/destination/destination.ts';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import type { Parcel } from '../../src/store/parcel.ts';
import { testContext } from '../builders/context.ts';
import { asking, bytesAt, destinationConfig, parcelFor, parcelOfBytes, placeAt, quietly } from '../builders/parcel.ts';
import {
  account,
  itWithServer,
  startDockerRegistry,
  startNginx,
  startObjectStore,
  startSwift,
  startVerdaccio,
} from '../builders/real-server.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { hasTool } from '../builders/tools.ts';

// Our stand-ins share our mistakes; these servers do not.

async function openAt(
  speaks: Protocol,
  url: string,
  more: Readonly<Record<string, unknown>> = {},
): Promise<Destination> {
  const context = testContext(temporaryFolder(), { env: { OFFICE_PASSWORD: account.password } });
  const credential = { user: account.user, password: 'env:OFFICE_PASSWORD' };
  return openDestination(context, {
    name: 'office',
    config: destinationConfig(speaks, url, { credential, ...more }),
    repository: placeAt(context.folder),
  });
}

/** Delivers, asks, fetches back, points; twice, to see that nothing happens the second time. */
async function deliverTwice(destination: Destination, parcel: Parcel): Promise<string> {
  expect(await destination.find(parcel, [parcel])).toEqual({ type: 'absent' });
  const address = await destination.deliver(parcel, quietly(parcel));
  await destination.point([parcel]);
  expect(await destination.find(parcel, [parcel])).toEqual({ type: 'same', address });
  expect((await bytesAt(destination, address)).equals(readFileSync(parcel.file))).toBe(true);
  expect(await destination.isListed(parcel)).toBe(true);
  expect((await destination.point([parcel])).map(({ moved }) => moved)).not.toContain(true);
  return address;
}

itWithServer('docker-registry')('a registry takes artifacts, their SBOMs as referrers, chunks and tags', async () => {
  const url = await startDockerRegistry();
  const destination = await openAt('oci', `${url}tides`);
  const parcel = await parcelFor('oci');
  const big = parcelOfBytes(randomBytes(70 << 20), { packageName: 'soundings', fileName: 'soundings-1.4.0.tar.gz' });
  const sbom = parcelOfBytes(Buffer.from('{}'), { form: 'spdx', fileName: 'tidemark-1.4.0.spdx.json' });

  await deliverTwice(destination, parcel);
  await deliverTwice(destination, big);
  await destination.deliver(sbom, { all: [parcel, sbom], moved: () => {} });
  const [first] = await destination.point([parcel, sbom]);

  expect(first).toMatchObject({ pointer: '1.4.0', moved: false });
  const base = `${url}v2/tides/tidemark/manifests/`;
  const headers = {
    authorization: `Basic ${Buffer.from(`${account.user}:${account.password}`).toString('base64')}`,
    accept: 'application/vnd.oci.image.manifest.v1+json, application/vnd.oci.image.index.v1+json',
  };
  const release = await fetch(`${base}1.4.0`, { headers });
  const digest = release.headers.get('docker-content-digest') ?? '';
  // This registry keeps no list of referrers itself: the client keeps it as a tag.
  const referrers = (await (await fetch(`${base}${digest.replace(':', '-')}`, { headers })).json()) as {
    manifests: { artifactType: string }[];
  };
  expect(referrers.manifests.map(({ artifactType }) => artifactType)).toEqual(['application/spdx+json']);
  if (hasTool('skopeo')) {
    const target = `docker://${new URL(url).host}/tides/tidemark:1.4.0`;
    const folder = temporaryFolder();
    const credentials = `${account.user}:${account.password}`;
    execFileSync('skopeo', ['copy', '--src-tls-verify=false', '--src-creds', credentials, target, `dir:${folder}`], {
      stdio: 'ignore',
    });
    expect(readFileSync(path.join(folder, parcel.sha256)).equals(readFileSync(parcel.file))).toBe(true);
  }
  const wrong = await openAt('oci', `${url}tides`, {
    credential: { user: 'stranger', password: 'env:OFFICE_PASSWORD' },
  });
  expect((await wrong.access({ ...parcel, packageName: 'tidemark' }, asking)).credential).toBe('refused');
  await destination.withdraw(parcel, { delivered: [], reason: 'wrong tides', erase: false });
  expect((await fetch(`${base}1.4.0`, { headers })).status).toBe(404);
});

itWithServer('docker-registry')('a copy of a release by another client has the same digests', async () => {
  if (!hasTool('skopeo')) return;
  const url = await startDockerRegistry();
  const destination = await openAt('oci', `${url}tides`);
  const one = { ...(await parcelFor('oci')), platform: 'linux-x64' };
  const all = [one, parcelOfBytes(Buffer.from('tides'), { fileName: 'high & low-1.4.0.tar.gz' })];
  for (const parcel of all) await destination.deliver(parcel, { all, moved: () => {} });
  await destination.point(all);

  const at = (place: string) => `docker://${new URL(url).host}/${place}/tidemark:1.4.0`;
  const own = `${account.user}:${account.password}`;
  const open = ['--src-tls-verify=false', '--dest-tls-verify=false', '--src-creds', own, '--dest-creds', own];
  execFileSync('skopeo', ['copy', '--all', ...open, at('tides'), at('copies')], { stdio: 'ignore' });
  const raw = (place: string) =>
    execFileSync('skopeo', ['inspect', '--raw', '--tls-verify=false', '--creds', own, at(place)]).toString();
  expect(raw('copies')).toBe(raw('tides'));
});

itWithServer('nginx')('a WebDAV server takes files, its collections made when they are missing', async () => {
  const destination = await openAt('http-put', await startNginx(false));
  const parcel = await parcelFor('http-put');

  const address = await deliverTwice(destination, parcel);

  const folder = temporaryFolder();
  const sums = `${path.posix.dirname(address)}/SHA256SUMS`.replace(':/', '://').replace(':///', '://');
  execFileSync('sh', ['-ec', `curl -fsSO '${address}'; curl -fsSO '${sums}'; sha256sum -c SHA256SUMS`], {
    cwd: folder,
    stdio: 'ignore',
  });
  expect((await destination.nameState(parcel)).versionState).toBe('there');
  await destination.withdraw(parcel, {
    delivered: [{ artifact: parcel.fileName, address, sha256: parcel.sha256 }],
    reason: 'wrong',
    erase: false,
  });
  expect((await destination.find(parcel, [parcel])).type).toBe('absent');
});

itWithServer('nginx')('a plain web server takes a Maven repository, metadata and digests', async () => {
  const url = await startNginx(true);
  const destination = await openAt('maven-layout', `${url}releases/`);
  const [old, parcel] = [await parcelFor('maven-layout', 'tides', '1.3.0'), await parcelFor('maven-layout')];

  await deliverTwice(destination, old);
  await deliverTwice(destination, parcel);

  const metadata = await (await fetch(`${url}releases/example/fenmarsh/tidemark/maven-metadata.xml`)).text();
  expect(metadata).toMatch(
    /<release>1\.4\.0<\/release>[\s\S]*<version>1\.3\.0<\/version>\s*<version>1\.4\.0<\/version>/,
  );
  const sha1 = await (await fetch(`${url}releases/example/fenmarsh/tidemark/1.4.0/tidemark-1.4.0.jar.sha1`)).text();
  expect(sha1).toBe(parcel.sha1);
});

itWithServer('verdaccio')('a registry for npm takes packages, dist-tags and a deprecation', async () => {
  const { url, token } = await startVerdaccio();
  const context = testContext(temporaryFolder(), { env: { OFFICE_TOKEN: token } });
  const config = destinationConfig('npm-registry', url, { credential: 'env:OFFICE_TOKEN' });
  const destination = await openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  const parcel = await parcelFor('npm-registry');
  const other = await parcelFor('npm-registry', 'other tides');
  const scoped = {
    ...(await parcelFor('npm-registry')),
    name: '@fenmarsh/tidemark',
    manifest: { name: '@fenmarsh/tidemark', version: '1.4.0' },
  };

  await deliverTwice(destination, parcel);
  await deliverTwice(destination, scoped);

  expect((await destination.access(parcel, asking)).credential).toBe('accepted');
  expect((await destination.find(other, [other])).type).toBe('different');
  await expect(destination.deliver(other, quietly(other))).rejects.toMatchObject({ code: 'DELIVERY_EXISTS' });
  await destination.withdraw(parcel, { delivered: [], reason: 'low water an hour late', erase: false });
  const document = (await (await fetch(`${url}tidemark`)).json()) as {
    versions: Record<string, { deprecated?: string }>;
  };
  expect(document.versions['1.4.0']?.deprecated).toBe('low water an hour late');
});

itWithServer('s3rver')('an object store takes files whole and in parts, and keeps their type', async () => {
  const url = await startObjectStore();
  const context = testContext(temporaryFolder(), { env: { KEY: 'S3RVER' } });
  const config = destinationConfig('s3', url, { credential: { 'access-key': 'env:KEY', 'secret-key': 'env:KEY' } });
  const destination = await openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });

  const address = await deliverTwice(destination, await parcelFor('s3'));
  await deliverTwice(
    destination,
    parcelOfBytes(randomBytes(21 << 20), { packageName: 'soundings', fileName: 'soundings-1.4.0.tar.gz' }),
  );

  const answer = await fetch(address, { method: 'HEAD' });
  expect(answer.headers.get('content-type') ?? '').toMatch(/^application\/(gzip|xml)$/);
});

itWithServer('swift')('an object store without conditional writes takes files whole and in parts', async () => {
  const url = await startSwift();
  const env = { KEY: `office:${account.user}`, SECRET: account.password };
  const context = testContext(temporaryFolder(), { env });
  const config = destinationConfig('s3', url, { credential: { 'access-key': 'env:KEY', 'secret-key': 'env:SECRET' } });
  const destination = await openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  const parcel = await parcelFor('s3');

  const address = await deliverTwice(destination, parcel);
  await deliverTwice(
    destination,
    parcelOfBytes(randomBytes(21 << 20), { packageName: 'soundings', fileName: 'soundings-1.4.0.tar.gz' }),
  );

  const other = { ...parcel, ...parcelOfBytes(Buffer.from('other'), { fileName: parcel.fileName }) };
  await expect(destination.deliver(other, quietly(other))).rejects.toMatchObject({ code: 'DESTINATION_REFUSED' });
  await destination.withdraw(parcel, {
    delivered: [{ artifact: parcel.fileName, sha256: parcel.sha256, address }],
    reason: 'low water an hour late',
    erase: true,
  });
  expect(await destination.find(parcel, [parcel])).toEqual({ type: 'absent' });
});

itWithServer('swift')('an object store without conditional writes keeps what two publishers list at once', async () => {
  const url = await startSwift();
  const env = { KEY: `office:${account.user}`, SECRET: account.password };
  const base = 'https://packages.fenmarsh.example/';
  const store = { over: 's3', bucket: 'crates', 'path-style': true, 'make-bucket': true, 'index-url': base };
  const open = () => {
    const context = testContext(temporaryFolder(), { env });
    const credential = { 'access-key': 'env:KEY', 'secret-key': 'env:SECRET' };
    const config = destinationConfig('crate-index', url, { ...store, credential });
    return openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  };
  // Neither finds the bucket.
  const [one, other] = [await open(), await open()];
  const publish = async (destination: Destination, version: string) => {
    const parcel = await parcelFor('crate-index', 'tides', version);
    await destination.deliver(parcel, quietly(parcel));
    await destination.point([parcel]);
  };
  const versions = Array.from({ length: 5 }, (_, round) => [`1.${round}.0`, `1.${round}.1`]);
  for (const [first = '', second = ''] of versions) await Promise.all([publish(one, first), publish(other, second)]);

  const lines = (await bytesAt(one, `${url}crates/ti/de/tidemark`)).toString().trimEnd().split('\n');
  expect(lines.map((line) => JSON.parse(line).vers).sort()).toEqual(versions.flat().sort());
});
