import type { DestinationConfig } from '../config/config.ts';
import { isSbom } from '../form/definitions.ts';
import type { LedgerDelivery, LedgerRelease } from '../ledger/fold.ts';
import type { ArtifactRecord } from '../record/release-record.ts';
import { quoteShell } from '../text/quote-shell.ts';
import { coordinatesOf, isSnapshot } from './maven-layout/maven-layout.ts';
import { integrityOf } from './npm-registry/npm-document.ts';
import { artifactManifest } from './oci/oci.ts';

/** What a consumer types or pastes, and where. */
export type ConsumerLine = {
  readonly destination: string;
  readonly client: string;
  /** Where it is pasted: a shell, or a file of the project. */
  readonly into: string;
  readonly text: string;
};

/** A release at a destination, for whoever wants to install it. */
export type Offer = {
  readonly destination: string;
  readonly config: DestinationConfig;
  /** The address of the index or registry that readers use. */
  readonly url: string;
  readonly release: LedgerRelease;
  readonly delivered: readonly (LedgerDelivery & { readonly record: ArtifactRecord })[];
};

type Line = Omit<ConsumerLine, 'destination'>;

/** Lines that install exactly this release, with digests where the client checks them. */
export function consumerLines(offer: Offer): ConsumerLine[] {
  const lines: readonly Line[] = byProtocol[offer.config.speaks](offer);
  return lines.map((line) => ({ destination: offer.destination, ...line }));
}

const byProtocol: Readonly<Record<DestinationConfig['speaks'], (offer: Offer) => Line[]>> = {
  'npm-registry': npmLines,
  'python-index': pythonLines,
  'nuget-v3': nugetLines,
  'maven-layout': mavenLines,
  'http-put': fileLines,
  s3: fileLines,
  folder: fileLines,
  oci: ociLines,
};

/** By name from the registry, and the tarball by its address after its digest was checked. */
function npmLines({ url, release, delivered }: Offer): Line[] {
  const { name } = release.about;
  const scope = name.startsWith('@') ? `--${name.split('/')[0]}:registry` : '--registry';
  const byName = `npm install ${quoteShell(`${name}@${release.version}`)} ${scope}=${quoteShell(url)}`;
  const byAddress = delivered.map(({ address, record }) => ({
    client: 'npm, by digest',
    into: 'shell',
    text: [
      ...fetchAndCheck(address, record),
      `npm install ./${quoteShell(record.file)}   # in a lockfile: ${integrityOf(record.sha512)}`,
    ].join('\n'),
  }));
  return [{ client: 'npm', into: 'shell', text: byName }, ...byAddress];
}

/** A requirement with the digests of every file; installers then take no other (pip, "Hash-checking Mode"). */
function pythonLines({ release, delivered }: Offer): Line[] {
  const version = release.about.spellings.python ?? release.version;
  const hashes = delivered.map(({ sha256 }) => `    --hash=sha256:${sha256}`);
  return [
    {
      client: 'pip',
      into: 'requirements.txt',
      text: [`${release.about.name}==${version}`, ...hashes].join(' \\\n'),
    },
  ];
}

function nugetLines({ url, release }: Offer): Line[] {
  const version = release.about.spellings.nuget ?? release.version;
  const text = `dotnet add package ${quoteShell(release.about.name)} --version ${quoteShell(version)} --source ${quoteShell(url)}`;
  return [{ client: 'dotnet', into: 'shell', text }];
}

function mavenLines({ release }: Offer): Line[] {
  const found = coordinatesOf(release.about.name, release.about.spellings.maven ?? release.version);
  if (found === null) return [];
  const { groupId, artifactId, version } = found;
  const block = [
    '<dependency>',
    `  <groupId>${groupId}</groupId>`,
    `  <artifactId>${artifactId}</artifactId>`,
    `  <version>${version}</version>`,
    '</dependency>',
  ];
  return [{ client: 'maven', into: 'pom.xml', text: block.join('\n') }];
}

/** Fetches each file and checks its digest before anybody uses it. */
function fileLines({ delivered }: Offer): Line[] {
  return delivered.filter(isPackage).map(({ address, record }) => ({
    client: /^https?:/.test(address) ? 'curl' : 'cp',
    into: 'shell',
    text: fetchAndCheck(address, record).join('\n'),
  }));
}

/** Every artifact by the digest of its manifest: such a reference can't lead to other bytes later. */
function ociLines({ release, delivered }: Offer): Line[] {
  const { about, version, package: packageName } = release;
  return delivered.filter(isPackage).flatMap(({ address, record }): Line[] => {
    const [, host = '', repository = ''] = /^https?:\/\/([^/]+)\/v2\/(.+)\/blobs\//.exec(address) ?? [];
    const { file: fileName, size: sizeBytes, sha256, form, platform } = record;
    const file = { fileName, sizeBytes, sha256, form, platform, packageName, version, sourceTime: about.sourceTime };
    const { digest } = artifactManifest(file, null).descriptor;
    return [
      { client: 'oci', into: 'reference', text: `${host}/${repository}@${digest}` },
      { client: 'curl', into: 'shell', text: fetchAndCheck(address.split('#')[0] ?? '', record).join('\n') },
    ];
  });
}

function isPackage({ record }: Offer['delivered'][number]): boolean {
  return !isSbom(record);
}

function fetchAndCheck(address: string, { file, sha256 }: ArtifactRecord): string[] {
  const fetch = /^https?:/.test(address)
    ? `curl -fsSL -o ${quoteShell(file)} ${quoteShell(address)}`
    : `cp ${quoteShell(address)} ${quoteShell(file)}`;
  return [fetch, `echo ${quoteShell(`${sha256}  ${file}`)} | sha256sum -c -`];
}

/** What a machine or project needs once, so that a client finds a destination that is not its usual one. */
export function setUpLines(offer: Offer): ConsumerLine[] {
  const lines = setUp[offer.config.speaks]?.(offer) ?? [];
  return lines.map((line) => ({ destination: offer.destination, ...line }));
}

/** Credentials are named by a variable of the consumer's own environment, never by value. */
const tokenVariable = (destination: string) => `${destination.toUpperCase().replace(/[^A-Z0-9]+/g, '_')}_READ_TOKEN`;

const setUp: Partial<Record<DestinationConfig['speaks'], (offer: Offer) => Line[]>> = {
  'npm-registry': ({ destination, url, release }) => {
    const scope = release.about.name.startsWith('@') ? `${release.about.name.split('/')[0]}:` : '';
    const place = url.replace(/^https?:/, '');
    return [
      { client: 'npm', into: '.npmrc', text: `${scope}registry=${url}` },
      // npm puts the variable's value in when it reads the file ("npmrc, Environment Variables").
      { client: 'npm, with a token', into: '.npmrc', text: `${place}:_authToken=\${${tokenVariable(destination)}}` },
    ];
  },
  'python-index': ({ destination, url }) => {
    const withToken = url.replace(/^(https?:\/\/)/, `$1__token__:\${${tokenVariable(destination)}}@`);
    return [
      { client: 'pip', into: 'requirements.txt', text: `--index-url ${url}` },
      { client: 'pip, with a token', into: 'requirements.txt', text: `--index-url ${withToken}` },
    ];
  },
  'nuget-v3': ({ destination, url }) => [
    {
      client: 'dotnet',
      into: 'shell',
      text: `dotnet nuget add source ${quoteShell(url)} --name ${quoteShell(destination)}`,
    },
  ],
  'maven-layout': ({ destination, url, release }) => {
    const snapshots = isSnapshot(release.about.spellings.maven ?? release.version);
    const repository = [
      '<repository>',
      `  <id>${destination}</id>`,
      `  <url>${url}</url>`,
      `  <releases><enabled>${String(!snapshots)}</enabled></releases>`,
      `  <snapshots><enabled>${String(snapshots)}</enabled></snapshots>`,
      '</repository>',
    ];
    const server = [
      '<server>',
      `  <id>${destination}</id>`,
      '  <username>token</username>',
      `  <password>\${env.${tokenVariable(destination)}}</password>`,
      '</server>',
    ];
    return [
      { client: 'maven', into: 'pom.xml, repositories', text: repository.join('\n') },
      { client: 'maven', into: 'settings.xml, servers', text: server.join('\n') },
    ];
  },
};
