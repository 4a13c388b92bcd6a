// Sends one file to a stand-in through a destination of ours, and prints how long that took and how much memory it needed.
import { createHash } from 'node:crypto';
import { createReadStream, readFileSync, statSync } from 'node:fs';
import { parseConfig } from '../src/core/config/parse-config.ts';
import { openDestination } from '../src/flow/workspace/open-destination.ts';
import type { Parcel } from '../src/store/parcel.ts';
import { readStamp } from '../src/world/file-stamp.ts';
import { closeConnections } from '../src/world/http.ts';

const [, , speaks = '', url = '', file = '', version = ''] = process.argv;
const keys = speaks === 's3' ? { bucket: 'bench', 'path-style': true, 'make-bucket': true } : {};
const token = 'env:BENCH_TOKEN';
const credential = speaks === 's3' ? { 'access-key': token, 'secret-key': token } : token;
const text = JSON.stringify({ schema: 1, destinations: { bench: { speaks, url, credential, ...keys } } });
const config = parseConfig(text, 'bench').destinations['bench'];
if (config === undefined) throw new Error('no destination');
const digests = { sha1: createHash('sha1'), sha256: createHash('sha256'), sha512: createHash('sha512') };
for await (const chunk of createReadStream(file) as AsyncIterable<Buffer>)
  for (const hash of Object.values(digests)) hash.update(chunk);
const names: Readonly<Record<string, string>> = {
  'python-index': `soundings-${version}-py3-none-any.whl`,
  'maven-layout': `soundings-${version}.jar`,
};
const name = speaks === 'maven-layout' ? 'example.fenmarsh:soundings' : 'soundings';
const parcel: Parcel = {
  file,
  fileName: names[speaks] ?? `soundings-${version}.tgz`,
  form: speaks === 'maven-layout' ? 'jar' : 'tar.gz',
  platform: null,
  sizeBytes: statSync(file).size,
  sha1: digests.sha1.digest('hex'),
  sha256: digests.sha256.digest('hex'),
  sha512: digests.sha512.digest('hex'),
  packageName: 'soundings',
  name,
  version,
  spellings: { semver: version, python: version, maven: version },
  stream: { name: 'stable', type: 'stable', pointer: 'stable' },
  manifest:
    speaks === 'python-index' ? { 'Metadata-Version': '2.4', Name: 'soundings', Version: version } : { name, version },
  manifestText: null,
  commit: '0'.repeat(40),
  readme: null,
  sourceTime: 1_795_000_000,
  stamp: await readStamp(file),
};
const context = {
  folder: '.',
  env: process.env,
  configFile: null,
  packages: [],
  programVersion: '0.0.0',
  programBuild: null,
  now: () => new Date(),
  signal: new AbortController().signal,
  secrets: new Set<string>(),
  report: () => {},
  trust: { isConfigTrusted: true, ask: null },
  askText: null,
  askSecret: async () => null,
};
const destination = await openDestination(context, {
  name: 'bench',
  config,
  repository: { root: '.', commonFolder: '.' },
});
await destination.find(parcel, [parcel]);
const began = process.hrtime.bigint();
await destination.deliver(parcel, { all: [parcel], moved: () => {} });
const seconds = Number(process.hrtime.bigint() - began) / 1e9;
await closeConnections();
// What the system counts for the process since it began; `maxRSS` would count what the bench itself had when it forked.
const peakKilobytes = Number(/VmHWM:\s+(\d+)/.exec(readFileSync('/proc/self/status', 'utf8'))?.[1]);
console.log(JSON.stringify({ seconds, peakMegabytes: Math.round(peakKilobytes / 1024) }));
