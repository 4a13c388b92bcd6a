// A workspace of 1,000 packages that need each other: survey, build plan and status against `git log`, reading all manifests and
// Node's own start.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { compare, report } from './measure.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = process.argv[2] ?? mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const cwd = path.join(top, 'work');
const [packages, commits, limit, rounds] = [1_000, 200, 2, 5];
const git = (args, input) => spawnSync('git', args, { cwd, input, stdio: ['pipe', 'ignore', 'inherit'] });

/** The first commit, one tag for each package, and a change in each of some packages. */
function makeWorkspace() {
  const names = Array.from({ length: packages }, (_, index) => `tides-${index}`);
  const manifest = (index) => {
    const needs = [Math.floor(index / 2), index - 3].filter((other) => other >= 0 && other !== index);
    const dependencies = Object.fromEntries(needs.map((other) => [`tides-${other}`, '^1.0.0']));
    return JSON.stringify({ name: `tides-${index}`, version: '1.0.0', license: 'MIT', main: 'index.js', dependencies });
  };
  const yaml = [
    'schema: 1',
    'packages:',
    ...names.map((name) => `  ${name}: { folder: packages/${name}, send-to: [shelf] }`),
    'destinations:',
    '  shelf: { speaks: folder, url: ../shelf }',
  ];
  const files = [
    ['bevelstone.yaml', yaml.join('\n')],
    ...names.flatMap((name, index) => [
      [`packages/${name}/package.json`, manifest(index)],
      [`packages/${name}/index.js`, 'export const height = 1;\n'],
      [`packages/${name}/README.md`, `# ${name}\n`],
    ]),
  ];
  const data = (text) => `data ${Buffer.byteLength(text)}\n${text}\n`;
  const commit = (mark, message, changed) =>
    [
      `commit refs/heads/main\nmark :${mark}\ncommitter Survey boat <boat@fenmarsh.example> ${1_790_000_000 + mark} +0000\n`,
      data(message),
      mark === 1 ? '' : `from :${mark - 1}\n`,
      ...changed.map(([file, text]) => `M 100644 inline ${file}\n${data(text)}`),
    ].join('');
  const changes = Array.from({ length: commits }, (_, index) =>
    commit(index + 2, `fix: height ${index}\n`, [
      [`packages/tides-${(index * 37) % packages}/index.js`, `export const height = ${index + 2};\n`],
    ]),
  );
  const tags = names.map((name) => `reset refs/tags/${name}/1.0.0\nfrom :1\n\n`);
  mkdirSync(cwd, { recursive: true });
  mkdirSync(path.join(top, 'shelf'), { recursive: true });
  git(['init', '--quiet', '--initial-branch=main']);
  git(['fast-import', '--quiet'], [commit(1, 'feat: begin\n', files), ...tags, ...changes].join(''));
  git(['checkout', '--quiet', 'main']);
}

if (!existsSync(path.join(cwd, '.git/description'))) makeWorkspace();
const ours = (...args) => ({ program: process.execPath, args: [program, ...args, '--json', '--quiet'], cwd });
const log = 'git log -z --name-only HEAD ^tides-0/1.0.0';
const theirs = { program: 'sh', args: ['-c', `${log} && cat packages/*/package.json && node -e 0`], cwd };
const results = [
  report('survey, 1,000 packages', compare(ours('survey'), theirs, rounds), limit),
  report('build --list, 1,000 packages', compare(ours('build', '--list'), theirs, rounds), limit),
  report('status, 1,000 packages', compare(ours(), theirs, rounds), limit),
];
if (process.argv[2] === undefined) rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
