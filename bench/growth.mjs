// How time grows with the work: each at three sizes, ten times apart. Prints the exponent between the last two, which is 1
// where ten times the work takes ten times as long; also for histories, trees and lockfiles that are far from ordinary.
import { spawnSync } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { makeHistory, makeMessyHistory, makeRevertsOfOne, makeTaggedCommit, makeWideCommit } from './history.mjs';
import { usageOf } from './measure.mjs';
import { makeTree } from './tree.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = process.argv[2] ?? mkdtempSync(path.join(tmpdir(), 'bevelstone-growth-'));
const wanted = process.argv[3];
const limit = 1.1;

/** A lockfile in which every package needs two others. */
function makeLockfile(folder, count) {
  mkdirSync(folder, { recursive: true });
  const packages = { '': { name: 'tides', version: '1.0.0', dependencies: { p0: '1.0.0' } } };
  for (let index = 0; index < count; index++)
    packages[`node_modules/p${index}`] = {
      version: '1.0.0',
      resolved: `https://packages.fenmarsh.example/p${index}-1.0.0.tgz`,
      integrity: `sha512-${Buffer.alloc(64, index).toString('base64')}`,
      license: 'MIT',
      dependencies: { [`p${(index + 1) % count}`]: '^1.0.0', [`p${(index * 7 + 3) % count}`]: '^1.0.0' },
    };
  writeFileSync(
    path.join(folder, 'package.json'),
    '{"name":"tides","version":"1.0.0","dependencies":{"p0":"1.0.0"}}\n',
  );
  writeFileSync(
    path.join(folder, 'package-lock.json'),
    JSON.stringify({ name: 'tides', version: '1.0.0', lockfileVersion: 3, packages }),
  );
}

const manyFiles = (files) => (folder) => makeTree(folder, { files, sizeBytes: files * 10_000 });

function oneFile(sizeBytes) {
  return (folder) => {
    mkdirSync(folder, { recursive: true });
    writeFileSync(path.join(folder, 'depths.bin'), randomBytes(sizeBytes));
  };
}

/** A repository whose one package is packed as a tar.gz. @param fill writes its files. */
function makePackage(folder, fill) {
  fill(path.join(folder, 'tables'));
  const yaml =
    'schema: 1\npackages:\n  tables: { folder: tables, ecosystem: plain, artifacts: [{ form: tar.gz, top: none }], send-to: [shelf] }\n' +
    'destinations:\n  shelf: { speaks: folder, url: ../shelf }\n';
  writeFileSync(path.join(folder, 'bevelstone.yaml'), yaml);
  const git = (...args) =>
    spawnSync('git', ['-c', 'user.name=Survey boat', '-c', 'user.email=boat@fenmarsh.example', ...args], {
      cwd: folder,
    });
  git('init', '--quiet');
  // Whatever a machine does with large files in general.
  git('config', 'core.attributesFile', '/dev/null');
  git('add', '-A');
  git('commit', '--quiet', '-m', 'feat: tables');
}

function makeArchive(folder, files) {
  manyFiles(files)(path.join(folder, 'tables'));
  spawnSync('tar', ['-czf', 'tables.tar.gz', 'tables'], { cwd: folder });
}

const survey = {
  args: () => ['survey', '--json'],
  before: (cwd) => rmSync(`${cwd}/.git/bevelstone`, { recursive: true, force: true }),
};
const fresh = (cwd) => rmSync(path.join(cwd, 'bevelstone-out'), { recursive: true, force: true });
const publish = {
  args: () => ['-C', 'work', 'publish', '--yes', '--trust-config'],
  before: (cwd) => {
    rmSync(path.join(cwd, 'shelf'), { recursive: true, force: true });
    mkdirSync(path.join(cwd, 'shelf'));
    if (!existsSync(path.join(cwd, 'work/bevelstone-out')))
      spawnSync(process.execPath, [program, '-C', 'work', 'build', '--trust-config'], { cwd, stdio: 'ignore' });
  },
};
const cases = [
  {
    title: 'survey, commits',
    sizes: [1_000, 10_000, 100_000],
    make: (folder, commits) => makeHistory(folder, { commits, packages: 10, tags: 0, unreleased: commits }),
    ...survey,
  },
  {
    title: 'survey, messy commits',
    sizes: [1_000, 10_000, 100_000],
    make: (folder, commits) => makeMessyHistory(folder, { commits, packages: 50 }),
    ...survey,
  },
  { title: 'survey, reverts of one commit', sizes: [1_000, 10_000, 100_000], make: makeRevertsOfOne, ...survey },
  { title: 'survey, paths of one commit', sizes: [2_000, 20_000, 200_000], make: makeWideCommit, ...survey },
  { title: 'survey, tags on one commit', sizes: [500, 5_000, 50_000], make: makeTaggedCommit, ...survey },
  {
    title: 'build, files',
    sizes: [100, 1_000, 10_000],
    make: (folder, files) => makePackage(folder, manyFiles(files)),
    args: () => ['build', '--trust-config'],
    before: fresh,
  },
  {
    title: 'publish, files',
    sizes: [100, 1_000, 10_000],
    make: (folder, files) => {
      makePackage(path.join(folder, 'work'), manyFiles(files));
      return folder;
    },
    ...publish,
  },
  {
    title: 'publish, bytes of one file',
    sizes: [3_000_000, 30_000_000, 300_000_000],
    make: (folder, sizeBytes) => {
      makePackage(path.join(folder, 'work'), oneFile(sizeBytes));
      return folder;
    },
    ...publish,
  },
  {
    title: 'verify, entries',
    sizes: [100, 1_000, 10_000],
    make: makeArchive,
    args: () => ['verify', 'tables.tar.gz', '--json'],
  },
  {
    title: 'sbom, files',
    sizes: [100, 1_000, 10_000],
    make: makeArchive,
    args: () => ['sbom', 'write', 'tables', '--to', 'sboms', '--quiet'],
  },
  {
    title: 'sbom, dependencies in a lockfile',
    sizes: [1_000, 10_000, 100_000],
    make: makeLockfile,
    args: () => ['sbom', 'write', '.', '--to', '../sboms', '--quiet'],
  },
];

const median = (numbers) => [...numbers].sort((a, b) => a - b)[Math.floor(numbers.length / 2)];
let isGood = true;
for (const { title, sizes, make, args, before = () => {} } of cases) {
  if (wanted !== undefined && !title.startsWith(wanted)) continue;
  const measured = [];
  for (const size of sizes) {
    const cwd = path.join(top, `${title.replaceAll(/[ ,]+/g, '-')}-${size}`);
    if (!existsSync(`${cwd}.made`)) {
      rmSync(cwd, { recursive: true, force: true });
      await make(cwd, size);
      writeFileSync(`${cwd}.made`, '');
    }
    const command = { program: process.execPath, args: [program, ...args()], cwd };
    const seconds = [];
    let usage = null;
    for (let round = 0; round < (size === sizes.at(-1) ? 1 : 3); round++) {
      before(cwd);
      usage = usageOf(command);
      seconds.push(usage.seconds);
    }
    measured.push({ size, seconds: median(seconds), peakMB: usage.peakMB });
  }
  const [a, b, c] = measured;
  const exponent = Math.log10(c.seconds / b.seconds);
  const verdict = exponent <= limit ? 'within' : 'OVER';
  isGood &&= exponent <= limit;
  const times = [a, b, c].map(({ size, seconds, peakMB }) => `${size}: ${seconds.toFixed(2)} s, ${peakMB} MB`);
  console.log(`${title.padEnd(34)} exponent ${exponent.toFixed(2)}, ${verdict} ${limit}   (${times.join('; ')})`);
}
if (process.argv[2] === undefined) rmSync(top, { recursive: true });
process.exitCode = isGood ? 0 : 1;
