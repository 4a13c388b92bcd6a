// Adds releases to a repository of 10,000 packages, in turn with plain code that reads and writes the same indexes.
import { createHash } from 'node:crypto';
import {
  closeSync,
  fsyncSync,
  mkdirSync,
  openSync,
  readFileSync,
  renameSync,
  statSync,
  writeFileSync,
  writeSync,
} from 'node:fs';
import path from 'node:path';
import type { Form } from '../src/core/name/form.ts';
import type { LayoutName } from '../src/core/name/protocol.ts';
import { connectLayout } from '../src/destination/layout/layout.ts';
import type { Parcel } from '../src/store/parcel.ts';
import { stampOf } from '../src/world/file-stamp.ts';

const [, , layout = 'simple-index', top = '', indexes = '', roundsText = '9'] = process.argv;
const name = layout === 'maven-layout' ? 'example.fenmarsh:p5000' : 'p5000';
const endings: Readonly<Record<string, string>> = {
  'simple-index': '-py3-none-any.whl',
  'crate-index': '.crate',
  'maven-layout': '.jar',
};
const forms: Readonly<Record<string, Form>> = {
  'simple-index': 'wheel',
  'crate-index': 'crate',
  'maven-layout': 'jar',
};
const bytesOf = (version: string) => Buffer.from(`tides ${version}`);
const fileNameOf = (version: string) => `p5000-${version}${endings[layout]}`;

/** What a repository has beside its artifacts and indexes, by the endings of their names. */
const besides: Readonly<Record<string, readonly [artifact: string[], index: string[]]>> = {
  'simple-index': [['.metadata'], ['.json']],
  'crate-index': [[], []],
  'maven-layout': [
    ['.md5', '.sha1', '.sha256', '.sha512'],
    ['.md5', '.sha1', '.sha256', '.sha512'],
  ],
};

/** The same files as a release writes, each under another name, flushed, and renamed; the first index is written, all are read. */
function plain(version: string): void {
  const write = (place: string, text: string | Buffer) => {
    const handle = openSync(`${place}.new`, 'w');
    writeSync(handle, text as string);
    fsyncSync(handle);
    closeSync(handle);
    renameSync(`${place}.new`, place);
  };
  const [besideArtifact = [], besideIndex = []] = besides[layout] ?? [];
  mkdirSync(path.join(top, 'plain'), { recursive: true });
  const artifact = path.join(top, 'plain', fileNameOf(version));
  write(artifact, bytesOf(version));
  for (const ending of besideArtifact) write(`${artifact}${ending}`, digestOf(ending, bytesOf(version)));
  const [index = '', ...others] = indexes.split(',').map((file) => path.join(top, file));
  const text = readFileSync(index, 'utf8');
  write(index, text);
  for (const ending of besideIndex)
    write(path.join(top, 'plain', `index${ending}`), digestOf(ending, Buffer.from(text)));
  for (const file of others) readFileSync(file, 'utf8');
}

/** Text of a file beside another one: its digest where the ending is that of one. */
function digestOf(ending: string, bytes: Buffer): string {
  return /^\.(?:md5|sha\d+)$/.test(ending) ? createHash(ending.slice(1)).update(bytes).digest('hex') : bytes.toString();
}

async function ours(version: string): Promise<void> {
  const [fileName, bytes] = [fileNameOf(version), bytesOf(version)];
  const file = path.join(`${top}-made`, fileName);
  mkdirSync(path.dirname(file), { recursive: true });
  writeFileSync(file, bytes);
  const digest = (algorithm: string) => createHash(algorithm).update(bytes).digest('hex');
  const destination = await connectLayout({
    name: 'shelf',
    config: {
      speaks: layout as LayoutName,
      over: 'folder',
      snapshots: false,
      access: null,
      'others-from': null,
      keep: null,
    } as never,
    url: top,
    indexUrl: 'https://packages.fenmarsh.example/',
    credential: { type: 'none' },
    origins: new Set(),
    signal: new AbortController().signal,
    secrets: new Set(),
    env: {},
    now: () => new Date(),
    oneTime: async () => null,
  });
  const parcel: Parcel = {
    file,
    fileName,
    form: forms[layout] ?? 'zip',
    platform: null,
    sizeBytes: bytes.length,
    sha1: digest('sha1'),
    sha256: digest('sha256'),
    sha512: digest('sha512'),
    packageName: name,
    name,
    version,
    spellings: { semver: version, python: version, maven: version },
    stream: { name: 'stable', type: 'stable', pointer: 'stable' },
    manifest: { package: { name: 'p5000', version } },
    manifestText: `Name: p5000\nVersion: ${version}\n`,
    commit: '0'.repeat(40),
    readme: null,
    sourceTime: 1_795_000_000,
    stamp: stampOf(statSync(file, { bigint: true })),
  };
  if ((await destination.find(parcel, [parcel])).type !== 'absent') throw new Error('it is there already');
  await destination.deliver(parcel, { all: [parcel], moved: () => {} });
  await destination.point([parcel]);
}

async function milliseconds(work: () => void | Promise<void>): Promise<number> {
  const start = performance.now();
  await work();
  return performance.now() - start;
}

await ours('1.0.0');
plain('1.0.0');
const ratios: { ratio: number; ours: number; theirs: number }[] = [];
for (let round = 1; round <= Number(roundsText); round++) {
  const theirs = await milliseconds(() => plain(`1.0.${round}`));
  const own = await milliseconds(() => ours(`1.0.${round}`));
  ratios.push({ ratio: own / theirs, ours: own, theirs });
}
const middle = ratios.sort((a, b) => a.ratio - b.ratio)[Math.floor(ratios.length / 2)];
console.log(JSON.stringify({ ...middle, megabytes: process.resourceUsage().maxRSS / 1024 }));
