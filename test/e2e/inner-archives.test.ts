// Secrets in archives that lie in an artifact.
import { execFileSync } from 'node:child_process';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import { expect, it } from 'vitest';
import { examineArtifact } from '../../src/flow/read/read-artifact.ts';
import { zipBytes } from '../builders/parcel.ts';
import { temporaryFolder } from '../builders/repository.ts';

const secret = `key: AKIA${'QXYZ7LMN4PRS6TUV'}\n`;

async function marksOf(files: Readonly<Record<string, Buffer>>) {
  const folder = temporaryFolder();
  mkdirSync(path.join(folder, 'package'));
  writeFileSync(path.join(folder, 'package/package.json'), '{"name":"tides","version":"1.0.0"}');
  for (const [name, bytes] of Object.entries(files)) writeFileSync(path.join(folder, 'package', name), bytes);
  const file = path.join(folder, 'tides-1.0.0.tgz');
  execFileSync('tar', ['-czf', file, '-C', folder, 'package']);
  const { facts } = await examineArtifact(file, { ownPlaces: [], signal: new AbortController().signal });
  return facts.marks.map(({ path: inside, what, line, inside: name }) => [inside, name, what, line]).sort();
}

it('are found in a zip by the name of its file, and in a packed tar', async () => {
  const zip = await zipBytes({ 'notes.txt': 'tides\n', 'keys/deploy.txt': `x\n${secret}${'tide '.repeat(200)}` });
  expect(await marksOf({ 'a.zip': zip, 'b.tgz': gzipSync(`header\n${secret}`) })).toEqual([
    ['package/a.zip', 'keys/deploy.txt', 'a cloud access key', 2],
    ['package/b.tgz', '', 'a cloud access key', 2],
  ]);
});

it('are not looked for two levels deep, nor in what cannot be unpacked', async () => {
  const zip = await zipBytes({ 'keys.txt': `${secret}${'tide '.repeat(200)}` });
  const bomb = gzipSync(Buffer.alloc(80 << 20));
  const files = {
    'cut.zip': zip.subarray(0, zip.length - 30),
    'twice.gz': gzipSync(gzipSync(secret)),
    'bomb.gz': bomb,
    'odd.zip': Buffer.concat([
      Buffer.from('PK\x03\x04'),
      Buffer.alloc(60, 255),
      Buffer.from('PK\x05\x06'),
      Buffer.alloc(18, 255),
    ]),
  };
  expect(await marksOf(files)).toEqual([]);
});
