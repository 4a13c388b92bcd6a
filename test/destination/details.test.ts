import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it } from 'vitest';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import type { Standin } from '../../src/standin/server.ts';
import type { Parcel } from '../../src/store/parcel.ts';
import { testContext } from '../builders/context.ts';
import { destinationAt, destinationConfig, parcelFor, placeAt, quietly, testStandin } from '../builders/parcel.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { goodToken } from '../builders/workspace.ts';

describe('a one-time password', () => {
  const wanting = (): Promise<Standin> =>
    testStandin({
      faults: [
        {
          type: 'status',
          status: 401,
          headers: { 'www-authenticate': 'OTP' },
          method: 'PUT',
          path: /^\/node\/tidemark$/,
        },
      ],
    });
  const open = async (
    more: Readonly<Record<string, unknown>>,
    askSecret: () => Promise<string | null> = async () => null,
  ) => {
    const standin = await wanting();
    const env = { TIDE_TOKEN: goodToken, ONE_TIME: '123456' };
    const context = testContext(temporaryFolder(), { env, askSecret });
    const config = destinationConfig('npm-registry', standin.urlFor('npm-registry'), more);
    return {
      destination: await openDestination(context, { name: 'office', config, repository: placeAt('/') }),
      context,
    };
  };

  it.each<[string, Readonly<Record<string, unknown>>, () => Promise<string | null>]>([
    ['the environment', { 'one-time': 'env:ONE_TIME' }, async () => null],
    ['the person', {}, async () => '654321'],
  ])('comes from %s when the registry wants one, and is never shown', async (_, more, askSecret) => {
    const { destination, context } = await open(more, askSecret);
    const parcel = await parcelFor('npm-registry');

    await destination.deliver(parcel, quietly(parcel));

    expect((await destination.find(parcel, [parcel])).type).toBe('same');
    expect([...context.secrets].some((secret) => /^\d{6}$/.test(secret))).toBe(true);
  });

  it('asks for a missing one-time password by its key', async () => {
    const { destination } = await open({});
    const parcel = await parcelFor('npm-registry');

    await expect(destination.deliver(parcel, quietly(parcel))).rejects.toMatchObject({
      code: 'CREDENTIAL_REFUSED',
      why: expect.stringContaining('one-time: env:NAME'),
    });
  });
});

describe('snapshots', () => {
  const snapshot = async (sourceTime: number, inside = 'tides'): Promise<Parcel> => ({
    ...(await parcelFor('maven-layout', inside)),
    version: '1.5.0-0.preview.main.4+3f2c9e1',
    spellings: { maven: '1.5.0-SNAPSHOT' },
    sourceTime,
  });

  it('go to their own destination, each with its time and the next number, and the same one twice is there already', async () => {
    const standin = await testStandin();
    const destination = await destinationAt('maven-layout', standin, {
      url: `${standin.urlFor('maven-layout')}snapshots/`,
      snapshots: true,
    });
    const [first, second] = [await snapshot(1_795_000_000), await snapshot(1_795_000_600, 'later tides')];
    const addresses: string[] = [];
    for (const parcel of [first, second]) {
      addresses.push(await destination.deliver(parcel, quietly(parcel)));
      await destination.point([parcel]);
    }

    expect(addresses.map((address) => path.posix.basename(address))).toEqual([
      'tidemark-1.5.0-20261118.110640-1.jar',
      'tidemark-1.5.0-20261118.111640-2.jar',
    ]);
    expect(await destination.find(second, [second])).toEqual({ type: 'same', address: addresses[1] });
    expect((await destination.nameState(first)).versionState).toBe('free');
  });

  it.each([
    ['a snapshot', false, true],
    ['a release', true, false],
  ])('never cross: %s is refused where the others go', async (_, snapshots, isSnapshot) => {
    const destination = await destinationAt('maven-layout', await testStandin(), { snapshots });
    const parcel = isSnapshot ? await snapshot(1_795_000_000) : await parcelFor('maven-layout');

    await expect(destination.find(parcel, [parcel])).rejects.toMatchObject({
      code: 'DESTINATION_REFUSED',
      fix: expect.stringContaining(`snapshots: ${String(!snapshots)}`),
    });
  });
});

describe('a folder', () => {
  async function shelf(under = '{package}/{version}') {
    const top = temporaryFolder();
    const config = destinationConfig('folder', 'shelf', { under });
    return {
      top: path.join(top, 'shelf'),
      destination: await openDestination(testContext(top), { name: 'shelf', config, repository: placeAt(top) }),
    };
  }

  it('has digests that sha256sum can check, and a page over all releases', async () => {
    const { top, destination } = await shelf();
    const [value, other] = [await parcelFor('folder'), await parcelFor('folder', 'tides', '1.5.0')];
    for (const parcel of [value, other]) {
      await destination.deliver(parcel, quietly(parcel));
      await destination.point([parcel]);
    }

    expect(readFileSync(path.join(top, 'tidemark/1.4.0/SHA256SUMS'), 'utf8')).toBe(
      `${value.sha256}  tidemark-1.4.0.tar.gz\n`,
    );
    const page = readFileSync(path.join(top, 'index.html'), 'utf8');
    expect(page).toContain('href="tidemark/1.4.0/tidemark-1.4.0.tar.gz"');
    expect(page).toContain('href="tidemark/1.5.0/tidemark-1.5.0.tar.gz"');
    expect((await destination.point([value]))[0]?.moved).toBe(false);
    const address = path.join(top, 'tidemark/1.4.0', value.fileName);
    await destination.withdraw(value, {
      delivered: [{ artifact: value.fileName, address, sha256: value.sha256 }],
      reason: '',
      erase: false,
    });
    expect(readFileSync(path.join(top, 'index.html'), 'utf8')).not.toContain('1.4.0');
    expect(existsSync(path.join(top, 'tidemark/1.5.0', other.fileName))).toBe(true);
  });

  it('is never written over, and never left', async () => {
    const { top, destination } = await shelf();
    const parcel = await parcelFor('folder');
    await destination.deliver(parcel, quietly(parcel));
    const place = path.join(top, 'tidemark/1.4.0/tidemark-1.4.0.tar.gz');
    writeFileSync(place, 'other bytes');
    const { destination: climbing } = await shelf('../../{package}');

    await expect(destination.deliver(parcel, quietly(parcel))).rejects.toMatchObject({ code: 'DESTINATION_REFUSED' });
    expect(readFileSync(place, 'utf8')).toBe('other bytes');
    await expect(climbing.find(parcel, [parcel])).rejects.toMatchObject({ code: 'DESTINATION_REFUSED' });
  });
});

it('SBOMs refer to the release in a registry that keeps the list itself', async () => {
  const standin = await testStandin();
  const destination = await destinationAt('oci', standin);
  const parcel = await parcelFor('oci');
  const sbom: Parcel = { ...(await parcelFor('oci', 'sbom')), form: 'cyclonedx', fileName: 'tidemark-1.4.0.cdx.json' };
  for (const item of [parcel, sbom]) await destination.deliver(item, { all: [parcel, sbom], moved: () => {} });
  await destination.point([parcel, sbom]);

  const base = `${standin.url}v2/office/tidemark/`;
  const digest = (await fetch(`${base}manifests/1.4.0`)).headers.get('docker-content-digest');
  const referrers = (await (
    await fetch(`${base}referrers/${digest}?artifactType=application/vnd.cyclonedx%2Bjson`)
  ).json()) as { manifests: { artifactType: string }[] };
  const tags = (await (await fetch(`${base}tags/list`)).json()) as { tags: string[] };

  expect(referrers.manifests.map(({ artifactType }) => artifactType)).toEqual(['application/vnd.cyclonedx+json']);
  expect(tags.tags).toEqual(['1.4.0', 'latest']);
});

it('a Python version is free while only a longer one that begins like it is there', async () => {
  const destination = await destinationAt('python-index', await testStandin());
  const longer = await parcelFor('python-index', 'tides', '1.3.10');
  await destination.deliver(longer, quietly(longer));

  const state = async (version: string) =>
    (await destination.nameState(await parcelFor('python-index', 'tides', version))).versionState;

  expect([await state('1.3.1'), await state('1.3.10')]).toEqual(['free', 'there']);
});
