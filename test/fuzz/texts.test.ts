import { describe, expect, it } from 'vitest';
import { parseConfig } from '../../src/core/config/parse-config.ts';
import { manifestFiles } from '../../src/core/ecosystem/definitions.ts';
import { BevelstoneError } from '../../src/core/error/bevelstone-error.ts';
import { parseControl } from '../../src/core/form/deb/control.ts';
import { parseJarManifest } from '../../src/core/form/jar/jar-manifest.ts';
import { parseCoreMetadata } from '../../src/core/form/python/core-metadata.ts';
import { ownLockfile } from '../../src/core/manifest/lockfile/formats.ts';
import type { ManifestFormat } from '../../src/core/manifest/package-manifest.ts';
import { parseMultistatus } from '../../src/core/protocol/http-put/webdav.ts';
import { parseSnapshotMetadata, parseVersionMetadata } from '../../src/core/protocol/maven-layout/maven-layout.ts';
import { deprecated, parsePackument } from '../../src/core/protocol/npm-registry/npm-document.ts';
import { parseFlatVersions, parseRegistration, parseServiceIndex } from '../../src/core/protocol/nuget-v3/nuget.ts';
import { needsOf, parseChallenge, withReferrers } from '../../src/core/protocol/oci/oci.ts';
import { parseProject } from '../../src/core/protocol/python-index/python-index.ts';
import { parseEvent } from '../../src/core/record/parse-event.ts';
import { parseJournal } from '../../src/core/record/parse-journal.ts';
import { compareSboms } from '../../src/core/sbom/compare-sboms.ts';
import { checkSbom, formatSbom, parseSbom, readSbom } from '../../src/core/sbom/formats.ts';
import { formatOf } from '../../src/core/sbom/lockfile/formats.ts';
import { mergeSboms } from '../../src/core/sbom/merge.ts';
import { jsonOrNull } from '../../src/core/text/json.ts';
import { rounds, seedOf, trace } from './extent.ts';
import { mutateText, Random } from './mutate.ts';
import { configSample, lockfileSamples, manifestSamples, sbomSamples } from './samples.ts';

/** Reads a text to the end; whatever it throws is to be an error of ours. */
type Target = {
  readonly name: string;
  readonly samples: readonly string[];
  readonly run: (text: string) => void;
  /** Of a thousand rounds; less for what is slow. */
  readonly share?: number;
};

const stamp = { version: '2.5.0', isStatic: true, ranges: [{ name: 'depth', from: '^1.0.0', to: '^1.5.0' }] };
const own = [{ name: 'tides', folder: '', version: '2.5.0', ranges: stamp.ranges }];

/** What reads a manifest of this name; some are named after the package. */
async function formatNamed(name: string): Promise<ManifestFormat> {
  const found = manifestFiles.find(
    ({ file }) => file === name || file.endsWith(`}${name.slice(name.lastIndexOf('.'))}`),
  );
  if (found === undefined) throw new Error(`nothing reads ${name}`);
  return found.load();
}

const targets: readonly Target[] = [
  ...(await Promise.all(
    Object.entries(manifestSamples).map(async ([name, sample]): Promise<Target> => {
      const format = await formatNamed(name);
      return {
        name,
        samples: [sample],
        run: (text) => {
          format.read(text, name);
          format.stamp(text, stamp, name);
        },
      };
    }),
  )),
  ...Object.entries(lockfileSamples).map(
    ([name, sample]): Target => ({
      name: `lockfile ${name}`,
      samples: [sample],
      run: (text) => {
        attempt(() => formatOf(name)?.read(text, { file: name, manifests: new Map(), beside: () => sample }));
        attempt(() => ownLockfile(name)?.update(text, own, name));
      },
    }),
  ),
  {
    name: 'SBOM',
    samples: sbomSamples,
    run: (text) => {
      const document = parseSbom(text, 'x.json');
      const sbom = readSbom(document);
      checkSbom(document);
      formatSbom(mergeSboms([sbom, sbom], 'both'), 'spdx');
      formatSbom(sbom, 'cyclonedx');
      compareSboms(sbom, sbom);
    },
  },
  { name: 'bevelstone.yaml', samples: [configSample], run: (text) => parseConfig(text, 'bevelstone.yaml'), share: 0.1 },
  {
    name: 'documents of servers',
    samples: [
      '<metadata><groupId>a</groupId><versioning><latest>1</latest><versions><version>1</version></versions><snapshot><timestamp>2</timestamp><buildNumber>3</buildNumber></snapshot></versioning></metadata>',
      '<D:multistatus xmlns:D="DAV:"><D:response><D:href>/a%20b/</D:href></D:response></D:multistatus>',
      '<html><body><a href="x-1.0.tar.gz#sha256=aa" data-requires-python="&gt;=3">x-1.0.tar.gz</a></body></html>',
      '{ "meta": { "api-version": "1.1" }, "name": "x", "files": [{ "filename": "x-1.whl", "url": "a", "hashes": { "sha256": "a" }, "yanked": false }], "versions": ["1"] }',
      '{ "name": "x", "dist-tags": { "latest": "1.0.0" }, "versions": { "1.0.0": { "name": "x", "version": "1.0.0", "dist": { "tarball": "a", "shasum": "b" } } }, "time": {} }',
      '{ "version": "3.0.0", "resources": [{ "@id": "https://a.example/", "@type": "PackagePublish/2.0.0" }], "items": [{ "items": [{ "catalogEntry": { "version": "1.0.0", "listed": true } }] }] }',
      '{ "schemaVersion": 2, "config": { "digest": "sha256:aa" }, "layers": [{ "digest": "sha256:bb" }], "manifests": [{ "digest": "sha256:cc" }] }',
      'Bearer realm="https://a.example/token",service="a",scope="repository:x:pull"',
    ],
    run: (text) => {
      parseVersionMetadata(text);
      parseSnapshotMetadata(text);
      parseMultistatus(text);
      parseProject(text, 'text/html', 'https://a.example/');
      parseProject(text, 'application/vnd.pypi.simple.v1+json', 'https://a.example/');
      const value = jsonOrNull(text);
      parsePackument(value);
      deprecated(value, '1.0.0', 'withdrawn');
      parseServiceIndex(value);
      parseFlatVersions(value);
      parseRegistration(value);
      needsOf(value);
      withReferrers(text, []);
      parseChallenge(text);
    },
  },
  {
    name: 'records',
    samples: [
      '{"schema":"bevelstone/1","type":"planned","at":"2026-11-23T08:00:00.000Z","package":"tides","version":"1.4.0","run":"20261123-080000-abcd"}\n',
    ],
    run: (text) => {
      parseEvent(text, 'events/2026/11/23/080000-aaaaaaaa.json');
      parseJournal(text);
    },
  },
  {
    name: 'header fields',
    samples: [
      'Metadata-Version: 2.4\nName: tides\nVersion: 1.4.0\nRequires-Dist: depth>=1; extra == "full"\n\nAbout tides\n',
      'Manifest-Version: 1.0\nImplementation-Title: tides\nClass-Path: a.jar\n b.jar\n\nName: a/\nSealed: true\n',
      'Package: tides\nVersion: 1.4.0-1\nDepends: depth (>= 1), moon | sun\nDescription: Tides\n of the coast\n',
    ],
    run: (text) => {
      parseCoreMetadata(text);
      parseJarManifest(text);
      parseControl(text);
    },
  },
];

/** One of our errors is a good answer; what else is thrown goes on. */
function attempt(work: () => unknown): void {
  try {
    work();
  } catch (error) {
    if (!(error instanceof BevelstoneError)) throw error;
  }
}

describe('a changed text', () => {
  it.each(targets)('of $name ends in a result or in an error of ours', async ({ name, samples, run, share = 0.6 }) => {
    const random = new Random(seedOf(name));
    for await (const _ of rounds(share)) {
      let text = random.pick(samples);
      for (let count = 1 + random.below(4); count > 0; count--) text = mutateText(text, random, random.pick(samples));
      try {
        trace(name, text);
        attempt(() => run(text));
      } catch (error) {
        expect.fail(`${name}: ${error instanceof Error ? error.stack : error}\n--- text\n${JSON.stringify(text)}`);
      }
    }
  });

  it.each<[string, string]>([
    ['header fields', 'Metadata-Version: 2.4\nconstructor: tides\n\nAbout tides\n'],
    ['lockfile Cargo.lock', 'version = 3\n\n[[package]]\nname = "depth"\nversion = {}\nsource = "registry"\n'],
    [
      'lockfile pylock.toml',
      'lock-version = "1.0"\n[[packages]]\nname = "depth"\n[[packages.wheels]]\nhashes = { sha256 = { a = 1 } }\n',
    ],
    ['lockfile pnpm-lock.yaml', `${'- '.repeat(20_000)}x`],
    ['SBOM', '{"bomFormat":"CycloneDX","components":[{"name":{"toString":null,"valueOf":null}}]}'],
  ])('of %s that once ended in an internal error does so no more', (name, text) => {
    expect(() => attempt(() => targets.find((target) => target.name === name)?.run(text))).not.toThrow();
  });

  it('is read as it is before it is changed', () => {
    for (const { samples, run } of targets.filter(({ name }) => name !== 'documents of servers'))
      for (const sample of samples) expect(() => run(sample)).not.toThrow();
  });
});
