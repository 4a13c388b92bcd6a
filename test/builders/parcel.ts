import { createHash } from 'node:crypto';
import { readFileSync, statSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { onTestFinished } from 'vitest';
import type { DestinationConfig } from '../../src/core/config/config.ts';
import { parseConfig } from '../../src/core/config/parse-config.ts';
import type { Protocol, RemoteProtocol } from '../../src/core/name/protocol.ts';
import type { Destination } from '../../src/destination/destination.ts';
import { standinAddress } from '../../src/flow/trial/standin.ts';
import { openDestination } from '../../src/flow/workspace/open-destination.ts';
import type { StandinSettings } from '../../src/standin/server.ts';
import { type Standin, startStandin } from '../../src/standin/server.ts';
import type { Parcel } from '../../src/store/parcel.ts';
import { writeZip } from '../../src/world/archive/write-zip.ts';
import { stampOf } from '../../src/world/file-stamp.ts';
import { testContext } from './context.ts';
import { temporaryFolder } from './repository.ts';
import { goodToken, tokenFor } from './workspace.ts';

/** A folder that stands for a workspace. */
export function placeAt(folder: string) {
  return { root: folder, commonFolder: folder };
}

/** A parcel of any bytes under the names that its form has. */
export function parcelOfBytes(bytes: Buffer, more: Partial<Parcel> = {}): Parcel {
  const fileName = more.fileName ?? 'tidemark-1.4.0.tar.gz';
  const file = path.join(temporaryFolder(), fileName);
  writeFileSync(file, bytes);
  const digest = (name: string) => createHash(name).update(bytes).digest('hex');
  return {
    file,
    fileName,
    form: 'tar.gz',
    platform: null,
    sizeBytes: bytes.length,
    sha1: digest('sha1'),
    sha256: digest('sha256'),
    sha512: digest('sha512'),
    packageName: 'tidemark',
    name: 'tidemark',
    version: '1.4.0',
    spellings: { semver: '1.4.0', python: '1.4.0', maven: '1.4.0', nuget: '1.4.0' },
    commit: 'c0ffee0000000000000000000000000000000001',
    stream: { name: 'stable', type: 'stable', pointer: 'stable' },
    manifest: null,
    manifestText: null,
    readme: null,
    sourceTime: 1_795_000_000,
    stamp: stampOf(statSync(file, { bigint: true })),
    ...more,
  };
}

/** A zip with these files. */
export async function zipBytes(files: Readonly<Record<string, string>>): Promise<Buffer> {
  const output = path.join(temporaryFolder(), 'a.zip');
  const entries = Object.entries(files).map(([name, text]) => ({
    path: name,
    mode: 0o644,
    content: { type: 'bytes' as const, bytes: Buffer.from(text) },
    origin: { type: 'generated' as const },
  }));
  await writeZip(output, entries, { mtime: 1_700_000_000 });
  return readFileSync(output);
}

/** A package for .NET with a nuspec and nothing more, and some bytes in it. */
export function nupkgBytes(version: string, inside = 'tides'): Promise<Buffer> {
  return zipBytes({
    '[Content_Types].xml': '<Types/>',
    'Fenmarsh.Tides.nuspec': `<?xml version="1.0"?><package><metadata><id>Fenmarsh.Tides</id><version>${version}</version><authors>Tide Office</authors><description>Tides</description></metadata></package>`,
    'content/tides.txt': inside,
  });
}

const wheelMetadata = (version: string) =>
  `Metadata-Version: 2.4\nName: tidemark-py\nVersion: ${version}\nSummary: Tides\n`;

/** A parcel that a protocol takes, with bytes that depend on `inside`. */
export async function parcelFor(speaks: Protocol, inside = 'tides', version = '1.4.0'): Promise<Parcel> {
  const spellings = { semver: version, python: version, maven: version, nuget: version };
  const common = { version, spellings };
  const bytes = Buffer.from(`${inside} of ${version}`);
  if (speaks === 'npm-registry' || speaks === 'npm-static') {
    const manifest = { name: 'tidemark', version, description: 'Tides' };
    return parcelOfBytes(bytes, {
      ...common,
      form: 'npm-tarball',
      fileName: `tidemark-${version}.tgz`,
      manifest,
      readme: '# Tides',
    });
  }
  if (speaks === 'python-index' || speaks === 'simple-index') {
    const manifest = { 'Metadata-Version': ['2.4'], Name: ['tidemark-py'], Version: [version], Summary: ['Tides'] };
    const names = {
      name: 'tidemark-py',
      packageName: 'tidemark-py',
      fileName: `tidemark_py-${version}-py3-none-any.whl`,
    };
    return parcelOfBytes(bytes, {
      ...common,
      ...names,
      form: 'wheel',
      manifest,
      manifestText: wheelMetadata(version),
      readme: 'About tides',
    });
  }
  if (speaks === 'nuget-v3' || speaks === 'nuget-static') {
    const names = {
      name: 'Fenmarsh.Tides',
      packageName: 'Fenmarsh.Tides',
      fileName: `Fenmarsh.Tides.${version}.nupkg`,
    };
    return parcelOfBytes(await nupkgBytes(version, inside), { ...common, ...names, form: 'nupkg' });
  }
  if (speaks === 'maven-layout') {
    const names = {
      name: 'example.fenmarsh:tidemark',
      packageName: 'tidemark-jvm',
      fileName: `tidemark-${version}.jar`,
    };
    return parcelOfBytes(bytes, { ...common, ...names, form: 'jar' });
  }
  if (speaks === 'crate-registry' || speaks === 'crate-index') {
    const manifest = {
      package: { name: 'tidemark', version, description: 'Tides', license: 'MIT', edition: '2021' },
      dependencies: { 'clock-words': '^0.3' },
    };
    const fileName = `tidemark-${version}.crate`;
    return parcelOfBytes(bytes, { ...common, fileName, form: 'crate', manifest, readme: '# Tides' });
  }
  if (speaks === 'go-proxy') {
    const name = 'fenmarsh.example/tidemark';
    const manifestText = `module ${name}\n\ngo 1.19\n`;
    const fileName = `fenmarsh.example-tidemark-v${version}.zip`;
    return parcelOfBytes(bytes, { ...common, name, fileName, form: 'go-module', manifest: {}, manifestText });
  }
  return parcelOfBytes(bytes, { ...common, fileName: `tidemark-${version}.tar.gz` });
}

/** A stand-in with one token, stopped when the test ends. */
export async function testStandin(more: Partial<StandinSettings> = {}): Promise<Standin> {
  const tokens = [tokenFor(goodToken)];
  const standin = await startStandin({ port: 0, store: temporaryFolder(), tokens, now: () => new Date(), ...more });
  onTestFinished(standin.close);
  return standin;
}

/** Keys of a destination that a protocol needs beside its address. */
export function destinationConfig(
  speaks: Protocol,
  url: string,
  more: Readonly<Record<string, unknown>> = {},
): DestinationConfig {
  const keys = speaks === 's3' ? { bucket: 'tide-releases', 'path-style': true, 'make-bucket': true } : {};
  const credential =
    speaks === 's3' ? { 'access-key': 'env:TIDE_KEY', 'secret-key': 'env:TIDE_TOKEN' } : 'env:TIDE_TOKEN';
  const all = { speaks, url, credential: speaks === 'folder' ? 'none' : credential, ...keys, ...more };
  const config = parseConfig(JSON.stringify({ schema: 1, destinations: { office: all } }), 'bevelstone.yaml');
  return config.destinations['office'] as DestinationConfig;
}

/** A destination at a stand-in, opened as the program opens it. */
export async function destinationAt(
  speaks: RemoteProtocol,
  standin: Standin,
  { token = goodToken, ...more }: Readonly<Record<string, unknown>> & { readonly token?: string } = {},
): Promise<Destination> {
  const context = testContext(temporaryFolder(), { env: { TIDE_TOKEN: token, TIDE_KEY: 'harbour' } });
  const config = destinationConfig(speaks, standinAddress(standin, speaks), more);
  return openDestination(context, { name: 'office', config, repository: placeAt(context.folder) });
}

/** Options for a delivery whose progress is not shown. */
export const quietly = (parcel: Parcel) => ({ all: [parcel], moved: () => {} });

/** Everything that lies at an address. */
export async function bytesAt(destination: Destination, address: string): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of await destination.open(address)) parts.push(part);
  return Buffer.concat(parts);
}

/** How a probe asks that writes nothing. */
export const asking = { mayWrite: false, lists: false };
