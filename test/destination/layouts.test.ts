import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { describe, expect, it, vi } from 'vitest';
import { type LayoutName, layouts, type StoreName, stores } from '../../src/core/name/protocol.ts';
import { layoutRules } from '../../src/core/protocol/layouts.ts';
import type { Destination } from '../../src/destination/destination.ts';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import type { Parcel } from '../../src/store/parcel.ts';
import { namesBelow } from '../../src/world/files.ts';
import { testContext } from '../builders/context.ts';
import { bytesAt, destinationConfig, parcelFor, placeAt, quietly, testStandin } from '../builders/parcel.ts';
import { account, itWithServer, startNginx } from '../builders/real-server.ts';
import { temporaryFolder } from '../builders/repository.ts';
import { goodToken } from '../builders/workspace.ts';

type Settings = Readonly<Record<string, unknown>>;

/** A place that several publishers can open. */
type Site = {
  readonly open: (more?: Settings) => Promise<Destination>;
  /** Text of a file, null when there is none. */
  readonly read: (path: string) => Promise<string | null>;
};

const readerUrl = 'https://packages.fenmarsh.example/tides/';

async function siteAt(layout: LayoutName, over: StoreName): Promise<Site> {
  const served = over === 'folder' ? null : over;
  const standin = served === null ? null : await testStandin();
  const folder = temporaryFolder();
  const url = standin === null || served === null ? folder : standin.urlFor(served);
  const s3 = {
    bucket: 'tide-releases',
    'path-style': true,
    'make-bucket': true,
    credential: { 'access-key': 'env:TIDE_KEY', 'secret-key': 'env:TIDE_TOKEN' },
  };
  const keys: Settings = { over, 'index-url': readerUrl, ...(over === 's3' ? s3 : {}) };
  const open = (more: Settings = {}) => {
    const context = testContext(temporaryFolder(), { env: { TIDE_TOKEN: goodToken, TIDE_KEY: 'harbour' } });
    const credential = over === 'folder' ? { credential: 'none' } : {};
    const config = destinationConfig(layout, url, { ...credential, ...keys, ...more });
    return openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  };
  const read = async (inside: string) => {
    if (standin === null) return textOrNull(path.join(folder, inside));
    const base = over === 's3' ? `${url}tide-releases/` : url;
    const address = `${base}${inside.split('/').map(encodeURIComponent).join('/')}`;
    const answer = await fetch(address, { headers: over === 's3' ? {} : { authorization: `Bearer ${goodToken}` } });
    return answer.ok ? answer.text() : null;
  };
  return { open, read };
}

function textOrNull(file: string): string | null {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    return null;
  }
}

async function publish(destination: Destination, parcel: Parcel): Promise<string> {
  const found = await destination.find(parcel, [parcel]);
  const address = found.type === 'same' ? found.address : await destination.deliver(parcel, quietly(parcel));
  await destination.point([parcel]);
  return address;
}

const view = {
  destination: 'office',
  base: readerUrl,
  now: new Date(),
  config: { snapshots: false, access: null, 'others-from': null },
};

async function listed(layout: LayoutName, site: Site, parcel: Parcel): Promise<string[]> {
  const rules = layoutRules[layout];
  const text = await site.read(rules.index(parcel, view));
  return (text === null ? [] : (rules.read(text, parcel, view) ?? [])).map(({ version }) => version).sort();
}

const subjectOf = ({ packageName, name, version, spellings }: Parcel) => ({ packageName, name, version, spellings });
const deliveredAs = (parcel: Parcel, address: string) => [
  { artifact: parcel.fileName, address, sha256: parcel.sha256 },
];

describe.each(layouts)('%s', (layout) => {
  describe.each(stores)('over %s', (over) => {
    it('lists what was delivered, gives it back, and finds it there', async () => {
      const site = await siteAt(layout, over);
      const destination = await site.open();
      const parcel = await parcelFor(layout);

      expect(await destination.find(parcel, [parcel])).toEqual({ type: 'absent' });
      const address = await publish(destination, parcel);

      expect((await bytesAt(destination, address)).equals(readFileSync(parcel.file))).toBe(true);
      expect(await destination.isListed(parcel)).toBe(true);
      expect(await destination.find(parcel, [parcel])).toEqual({ type: 'same', address });
      expect((await destination.nameState(subjectOf(parcel))).versionState).toBe('there');
      expect((await destination.point([parcel])).every(({ moved }) => !moved)).toBe(true);
    });

    it('loses no entry in 20 rounds of two publishers at once', { timeout: 120_000 }, async () => {
      const site = await siteAt(layout, over);
      const [one, other] = [await site.open(), await site.open()];
      const versions: string[] = [];
      for (let round = 1; round <= 20; round++) {
        const pair = [`1.${round}.0`, `2.${round}.0`];
        // The path of a module has one major number.
        const [first, second] = layout === 'go-proxy' ? [`1.${round}.0`, `1.${round}.1`] : pair;
        const parcels = await Promise.all([first, second].map((version) => parcelFor(layout, 'tides', version)));
        await Promise.all([publish(one, parcels[0] as Parcel), publish(other, parcels[1] as Parcel)]);
        versions.push(...parcels.map((parcel) => layoutRules[layout].spelt(parcel)));
      }

      expect(await listed(layout, site, await parcelFor(layout))).toEqual([...versions].sort());
    });

    it('takes a release back, the index first, and lists the others still', async () => {
      const site = await siteAt(layout, over);
      const destination = await site.open();
      const [kept, gone] = [await parcelFor(layout), await parcelFor(layout, 'tides', '1.5.0')];
      await publish(destination, kept);
      const address = await publish(destination, gone);
      const order = { reason: 'wrong tides', delivered: deliveredAs(gone, address) };

      await destination.withdraw(subjectOf(gone), { ...order, erase: false });
      expect(await destination.isListed(gone)).not.toBe(true);
      await destination.withdraw(subjectOf(gone), { ...order, erase: true });

      expect(await destination.find(gone, [gone])).toEqual({ type: 'absent' });
      expect(await listed(layout, site, kept)).toEqual([layoutRules[layout].spelt(kept)]);
      expect(await destination.isListed(kept)).toBe(true);
    });

    it('keeps so many prereleases, and every stable version', async () => {
      const site = await siteAt(layout, over);
      const destination = await site.open({ keep: { prereleases: 2 } });
      const early = (count: number) => early1(layout, count);
      await publish(destination, await parcelFor(layout));
      const removed: string[] = [];
      for (let count = 1; count <= 4; count++) {
        const parcel = await early(count);
        await publish(destination, parcel);
        removed.push(...(await destination.tidy(subjectOf(parcel))).versions);
      }

      expect(removed).toEqual(['1.5.0-alpha.1', '1.5.0-alpha.2']);
      const { spelt } = layoutRules[layout];
      const expected = [await parcelFor(layout), await early(3), await early(4)].map((parcel) => spelt(parcel)).sort();
      expect(await listed(layout, site, await parcelFor(layout))).toEqual(expected);
      const old = await early(1);
      expect(await destination.find(old, [old])).toEqual({ type: 'absent' });
    });
  });
});

/** A prerelease as each ecosystem spells it. */
async function early1(layout: LayoutName, count: number): Promise<Parcel> {
  const version = `1.5.0-alpha.${count}`;
  const python = `1.5.0a${count}`;
  const parcel = await parcelFor(layout, 'tides', version);
  return {
    ...parcel,
    spellings: { semver: version, python, maven: `1.5.0-alpha-${count}`, nuget: version },
    stream: { name: 'early', type: 'labelled', pointer: 'early' },
    fileName: layout === 'simple-index' ? `tidemark_py-${python}-py3-none-any.whl` : parcel.fileName,
  };
}

/** An index whose prerelease claims to be a file of another package, or that of a stable version. */
const forged: readonly {
  readonly layout: LayoutName;
  readonly victim: string;
  readonly forge: (index: string) => string;
}[] = [
  {
    layout: 'simple-index',
    victim: 'simple/barometer/barometer-1.0.0.tar.gz',
    forge: (index) => index.replace(/href="tidemark_py-1\.5\.0a1[^"#]*/, 'href="../barometer/barometer-1.0.0.tar.gz'),
  },
  {
    layout: 'simple-index',
    victim: 'simple/tidemark-py/tidemark_py-1.4.0-py3-none-any.whl',
    forge: (index) => index.replace(/href="tidemark_py-1\.5\.0a1[^"#]*/, 'href="tidemark_py-1.4.0-py3-none-any.whl'),
  },
  {
    layout: 'npm-static',
    victim: '_tarballs/barometer/barometer-1.0.0.tgz',
    forge: (index) => index.replace(/_tarballs\/[^"]*alpha\.1\.tgz/, '_tarballs/barometer/barometer-1.0.0.tgz'),
  },
  {
    layout: 'nuget-static',
    victim: 'flat/barometer/1.0.0/barometer.1.0.0.nupkg',
    forge: (index) => index.replace(/flat\/[^"]*alpha\.1\.nupkg/, 'flat/barometer/1.0.0/barometer.1.0.0.nupkg'),
  },
];

it.each(forged)('$layout removes no file but its own prereleases, though its index names $victim', async (given) => {
  const { layout, victim, forge } = given;
  const folder = temporaryFolder();
  const context = testContext(temporaryFolder());
  const more = { over: 'folder', credential: 'none', 'index-url': readerUrl, keep: { prereleases: 1 } };
  const config = destinationConfig(layout, folder, more);
  const destination = await openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  const stable = await parcelFor(layout);
  await publish(destination, stable);
  const other = path.join(folder, victim);
  if (textOrNull(other) === null) {
    mkdirSync(path.dirname(other), { recursive: true });
    writeFileSync(other, 'pressures');
  }
  const before = readFileSync(other);
  await publish(destination, await early1(layout, 1));
  const index = path.join(folder, layoutRules[layout].index(stable, view));
  const text = readFileSync(index, 'utf8');
  expect(forge(text)).not.toBe(text);
  writeFileSync(index, forge(text));

  const latest = await early1(layout, 2);
  await publish(destination, latest);
  const { versions } = await destination.tidy(subjectOf(latest));

  expect(versions).toEqual(['1.5.0-alpha.1']);
  expect(readFileSync(other)).toEqual(before);
});

it.each(layouts)('%s refuses an index that it cannot read, and leaves it as it is', async (layout) => {
  const folder = temporaryFolder();
  const context = testContext(temporaryFolder());
  const config = destinationConfig(layout, folder, { over: 'folder', credential: 'none', 'index-url': readerUrl });
  const destination = await openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  const parcel = await parcelFor(layout);
  const index = path.join(folder, layoutRules[layout].index(parcel, view));
  mkdirSync(path.dirname(index), { recursive: true });
  writeFileSync(index, 'The office is closed.');

  await destination.deliver(parcel, quietly(parcel));
  await expect(destination.point([parcel])).rejects.toMatchObject({ code: 'DESTINATION_ANSWER' });

  expect(readFileSync(index, 'utf8')).toBe('The office is closed.');
});

it.each(layouts)('%s at a stand-in never refers to what is not there, in whatever order things end', async (layout) => {
  const standin = await testStandin();
  const context = testContext(temporaryFolder(), { env: { TIDE_TOKEN: goodToken } });
  const config = destinationConfig(layout, standin.urlFor(layout) + (layout === 'maven-layout' ? 'releases/' : ''));
  const destination = await openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
  const parcel = await parcelFor(layout);
  const address = await destination.deliver(parcel, quietly(parcel));

  // Each request fails once, as if the publisher had been killed there; the next one begins again.
  for (let cut = 1; cut < 40; cut++) {
    let count = 0;
    const times = vi.fn(() => ++count === cut);
    standin.faults.clear();
    standin.faults.add({
      type: 'status',
      status: 500,
      path: { test: times } as unknown as RegExp,
      times: 1,
      method: 'PUT',
    });
    const end = await destination.point([parcel]).then(
      () => 'done',
      () => 'cut',
    );
    const isListed = await destination.isListed(parcel).catch(() => 'no index yet');
    if (isListed === true) expect(await bytesAt(destination, address)).toHaveLength(parcel.sizeBytes);
    if (end === 'done') break;
  }
  standin.faults.clear();
  await destination.point([parcel]);

  expect(await destination.isListed(parcel)).toBe(true);
});

it('a folder that is read by HTTP alone needs the address of its readers', async () => {
  const context = testContext(temporaryFolder());
  const config = destinationConfig('crate-index', 'crates', { credential: 'none' });

  await expect(
    openDestination(context, { name: 'shelf', config, repository: placeAt(context.folder) }),
  ).rejects.toMatchObject({ code: 'CONFIG_INVALID', fix: expect.stringContaining('index-url') });
});

it('a folder of half a release holds no file under a name of its own', async () => {
  const folder = temporaryFolder();
  const context = testContext(temporaryFolder());
  const config = destinationConfig('go-proxy', folder, { credential: 'none' });
  const destination = await openDestination(context, { name: 'shelf', config, repository: placeAt(context.folder) });
  const parcel = await parcelFor('go-proxy');
  await publish(destination, parcel);

  expect((await namesBelow(folder)).filter((name) => name.includes('@')).sort()).toEqual([
    'fenmarsh.example/tidemark/@latest',
    'fenmarsh.example/tidemark/@v',
    'fenmarsh.example/tidemark/@v/list',
    'fenmarsh.example/tidemark/@v/v1.4.0.info',
    'fenmarsh.example/tidemark/@v/v1.4.0.mod',
    'fenmarsh.example/tidemark/@v/v1.4.0.zip',
  ]);
});

it('a module whose last version is taken back is the latest no more', async () => {
  const site = await siteAt('go-proxy', 'folder');
  const destination = await site.open();
  const [first, second] = [await parcelFor('go-proxy'), await parcelFor('go-proxy', 'tides', '1.5.0')];
  const addresses = [await publish(destination, first), await publish(destination, second)];
  const latest = () => site.read('fenmarsh.example/tidemark/@latest');
  const withdraw = (parcel: Parcel, address = '') =>
    destination.withdraw(subjectOf(parcel), { reason: 'x', erase: false, delivered: deliveredAs(parcel, address) });

  expect(await latest()).toContain('v1.5.0');
  await withdraw(second, addresses[1]);
  expect(await latest()).toContain('v1.4.0');
  await withdraw(first, addresses[0]);
  expect(await latest()).toBeNull();
  expect(await site.read('fenmarsh.example/tidemark/@v/list')).toBe('');
});

describe('a web server that pays no heed to conditions', () => {
  itWithServer('nginx').each(layouts)(
    '%s loses no entry in 20 rounds of two publishers at once',
    async (layout) => {
      const url = await startNginx(true);
      const credential = { user: account.user, password: 'env:TIDE_PASSWORD' };
      const open = () => {
        const context = testContext(temporaryFolder(), { env: { TIDE_PASSWORD: account.password } });
        const config = destinationConfig(layout, url, { over: 'http-put', credential });
        return openDestination(context, { name: 'web', config, repository: placeAt(context.folder) });
      };
      const [one, other] = [await open(), await open()];
      const versions: string[] = [];
      for (let round = 1; round <= 20; round++) {
        const pair = [`1.${round}.0`, `1.${round}.1`].map((version) => parcelFor(layout, 'tides', version));
        const parcels = await Promise.all(pair);
        await Promise.all([publish(one, parcels[0] as Parcel), publish(other, parcels[1] as Parcel)]);
        versions.push(...parcels.map((parcel) => layoutRules[layout].spelt(parcel)));
      }

      const rules = layoutRules[layout];
      const sample = await parcelFor(layout);
      const served = { ...view, base: url };
      const text = await (await fetch(url + rules.index(sample, served))).text();
      expect((rules.read(text, sample, served) ?? []).map(({ version }) => version).sort()).toEqual(versions.sort());
    },
    120_000,
  );
});
