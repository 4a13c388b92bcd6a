// Reading archives against listing them with plain tools and a digest of the same bytes; refusing hostile ones; memory.
import { execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import { compare, report } from './measure.mjs';
import { makeTree } from './tree.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const rounds = Number(process.argv[2] ?? 5);
const sh = (command) => ({ program: 'sh', args: ['-c', command], cwd: top });
const inspect = (file) => ({ program: process.execPath, args: [program, 'inspect', file, '--json'], cwd: top });
/** Exit codes are not looked at: a refusal is what is measured. */
const refused = (file) => sh(`"${process.execPath}" "${program}" inspect ${file} --json 2>/dev/null || true`);
/** One digest for each entry: what a reader has to do at least. */
const digests = {
  zip: `python3 -c "
import hashlib, sys, zipfile
archive = zipfile.ZipFile(sys.argv[1])
for entry in archive.infolist():
    digest = hashlib.sha256()
    with archive.open(entry) as file:
        while piece := file.read(1 << 18): digest.update(piece)
    digest.hexdigest()
"`,
  tar: `python3 -c "
import hashlib, sys, tarfile
for entry in (archive := tarfile.open(sys.argv[1], 'r|gz')):
    file = archive.extractfile(entry)
    digest = hashlib.sha256()
    while file and (piece := file.read(1 << 18)): digest.update(piece)
    digest.hexdigest()
"`,
};

makeTree(path.join(top, 'large'), { files: 10_000, sizeBytes: 300_000_000 });
for (let at = 0; at < 60_000; at++) {
  if (at % 1000 === 0) mkdirSync(path.join(top, 'many', String(at / 1000)), { recursive: true });
  writeFileSync(path.join(top, 'many', String(Math.floor(at / 1000)), `${at}.txt`), `height ${at}\n`);
}
for (const name of ['large', 'many']) {
  execFileSync('zip', ['-qr', `${name}.zip`, name], { cwd: top });
  execFileSync('tar', ['-czf', `${name}.tar.gz`, name], { cwd: top });
}
// 1 GiB of zeros in one file of a tar, as a bomb and, much smaller, as a valid archive of the same packed size.
execFileSync(
  'sh',
  ['-c', 'mkdir bomb && head -c 1073741824 /dev/zero > bomb/x && tar -czf bomb.tar.gz bomb && rm -r bomb'],
  { cwd: top },
);
execFileSync('sh', ['-c', 'mkdir plain && head -c 1040000 /dev/urandom > plain/x && tar -czf plain.tar.gz plain'], {
  cwd: top,
});
// A tar whose headers say nothing of what is to come: many files, each of a few MiB of zeros.
execFileSync(
  'sh',
  [
    '-c',
    'mkdir spread && for i in $(seq 300); do head -c 3500000 /dev/zero > spread/$i; done && tar -czf spread.tar.gz spread && rm -r spread',
  ],
  { cwd: top },
);
writeFileSync(path.join(top, 'short.tar.gz'), gzipSync(Buffer.alloc(1 << 20, 'x')));

const line = (title, ours, theirs, limit) => report(title, compare(ours, theirs, rounds), limit);
const results = [
  line('zip of 60,000 entries', inspect('many.zip'), sh(`unzip -l many.zip && ${digests.zip} many.zip`), 1.5),
  line(
    'tar.gz of 60,000 entries',
    inspect('many.tar.gz'),
    sh(`tar -tzf many.tar.gz && ${digests.tar} many.tar.gz`),
    1.5,
  ),
  line('zip of 300 MB', inspect('large.zip'), sh(`unzip -l large.zip && ${digests.zip} large.zip`), 1.5),
  line('tar.gz of 300 MB', inspect('large.tar.gz'), sh(`tar -tzf large.tar.gz && ${digests.tar} large.tar.gz`), 1.5),
  line('a bomb of 1 GiB / a plain archive', refused('bomb.tar.gz'), inspect('plain.tar.gz'), 1.2),
  line('a bomb in 300 files / unpacking it', refused('spread.tar.gz'), sh('gunzip -c spread.tar.gz'), 1.2),
  line('no archive at all / a plain archive', refused('short.tar.gz'), inspect('plain.tar.gz'), 1.2),
];
const hook = path.join(import.meta.dirname, 'peak-memory.cjs');
for (const file of ['many.zip', 'many.tar.gz', 'large.zip', 'large.tar.gz', 'spread.tar.gz']) {
  const { stderr } = spawnSync(process.execPath, ['-r', hook, program, 'inspect', file, '--json'], {
    cwd: top,
    encoding: 'utf8',
    stdio: ['ignore', 'ignore', 'pipe'],
  });
  const peak = Number(/^peak (\d+)$/m.exec(stderr)?.[1]);
  console.log(`${`inspect ${file}`.padEnd(34)} ${peak} MB of memory at most, ${peak < 300 ? 'within' : 'OVER'} 300`);
  results.push(peak < 300);
}
rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
