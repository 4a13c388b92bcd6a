// The ledger of 10,000 releases with 70,000 events against reading the same files with git: listing, showing, tracing, adding.
import { execFileSync, spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { existsSync, mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import path from 'node:path';
import { buildSync } from 'esbuild';
import { compare, report } from './measure.mjs';

const program = path.join(import.meta.dirname, '../dist/main.js');
const top = process.argv[2] ?? mkdtempSync(path.join(tmpdir(), 'bevelstone-bench-'));
const cwd = path.join(top, 'demo/fenmarsh-tides');
const [count, events] = [10_000, 7];
const ref = 'refs/bevelstone/ledger';
if (!existsSync(cwd)) {
  spawnSync(process.execPath, [program, 'demo', path.join(top, 'demo'), '--quiet'], { stdio: 'ignore' });
  const git = (...args) => execFileSync('git', args, { cwd, encoding: 'utf8' });
  // The same release again and again, each time with another version.
  const names = git('ls-tree', '-r', '--name-only', ref, 'tidemark/').trim().split('\n');
  const texts = names
    .filter((name) => !name.includes('/contents-'))
    .slice(0, events)
    .map((name) => git('show', `${ref}:${name}`));
  const ids = path.join(top, 'event-id.mjs');
  buildSync({
    entryPoints: [path.join(import.meta.dirname, '../src/core/record/event-id.ts')],
    outfile: ids,
    bundle: true,
    format: 'esm',
    platform: 'node',
  });
  const { eventId } = await import(ids);
  const importer = spawn('git', ['fast-import', '--quiet'], { cwd, stdio: ['pipe', 'inherit', 'inherit'] });
  const write = async (text) => importer.stdin.write(text) || once(importer.stdin, 'drain');
  await write(
    `commit ${ref}\ncommitter Survey boat <boat@fenmarsh.example> 1795000000 +0000\ndata 4\nmore\nfrom ${ref}^0\n`,
  );
  for (let index = 0; index < count; index++) {
    const version = `1.5.${index}`;
    for (const text of texts) {
      const event = JSON.parse(text.replaceAll('1.4.0', version));
      const own = JSON.stringify({ ...event, id: eventId(event) }, null, 2);
      const file = `tidemark/${version}/${eventId(event)}.json`;
      await write(`M 100644 inline ${file}\ndata ${Buffer.byteLength(own)}\n${own}\n`);
    }
  }
  importer.stdin.end();
  await once(importer, 'close');
  spawnSync('git', ['repack', '-adq'], { cwd });
}
const node = (...args) => ({ program: process.execPath, args: [program, ...args], cwd });
const sh = (command) => ({ program: 'sh', args: ['-c', command], cwd });
const plain = sh(`git ls-tree -r ${ref} | cut -c 13-52 | git cat-file --batch | cat > /dev/null && node -e 0`);
const one = sh(
  `git ls-tree -r ${ref} tidemark/1.5.7777 | cut -c 13-52 | git cat-file --batch > /dev/null && node -e 0`,
);
// The digest of an artifact of all of them.
const shown = execFileSync(process.execPath, [program, 'ledger', 'show', 'tidemark@1.5.7777', '--json'], {
  cwd,
  encoding: 'utf8',
});
const digest = JSON.parse(shown).result.artifacts[0].sha256;
const results = [
  report('ledger list, 10,000 releases', compare(node('ledger', 'list', '--json'), plain, 3), 1.5),
  report('ledger show, 10,000 releases', compare(node('ledger', 'show', 'tidemark@1.5.7777', '--json'), one, 3), 1.5),
  report('ledger trace, 10,000 releases', compare(node('ledger', 'trace', digest, '--json'), plain, 3), 1.5),
];
if (process.argv[2] === undefined) rmSync(top, { recursive: true });
process.exitCode = results.every(Boolean) ? 0 : 1;
