// Makes histories of any size through `git fast-import`: packages in folders, merges, tags, always the same.
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';

const kinds = ['fix', 'feat', 'docs', 'chore', 'test', 'fix(tides)', 'feat(log)', 'refactor'];

/**
 * Lays a repository out at `folder`.
 * @param commits how many; every twentieth is a merge of a short side branch.
 * @param packages how many folders they touch in turn.
 * @param tags how many versions are tagged, spread over the history up to `unreleased` commits before its end.
 */
export async function makeHistory(folder, { commits, packages, tags, unreleased }) {
  mkdirSync(folder, { recursive: true });
  const git = (...args) => spawnSync('git', args, { cwd: folder, stdio: 'ignore' });
  git('init', '--quiet', '--initial-branch=main');
  const importer = spawn('git', ['fast-import', '--quiet'], { cwd: folder, stdio: ['pipe', 'inherit', 'inherit'] });
  const write = async (text) => importer.stdin.write(text) || once(importer.stdin, 'drain');
  const names = Array.from({ length: packages }, (_, index) => (packages === 1 ? 'tides' : `tides-${index}`));
  const yaml = [
    'schema: 1',
    'history: { tag: "{package}/{version}" }',
    'packages:',
    ...names.map((name) => `  ${name}: { folder: packages/${name} }`),
  ].join('\n');
  const tagAt = new Set(
    Array.from({ length: tags }, (_, index) => Math.floor(((index + 1) * (commits - unreleased)) / Math.max(1, tags))),
  );
  const counts = new Map();
  let mark = 0;
  const commit = async (message, files, parents) => {
    const text = `${message}\n\nA line or two on why, as people write them.\n`;
    const who = `Survey boat <boat@fenmarsh.example> ${1_600_000_000 + mark * 60} +0000`;
    const body = Object.entries(files).map(
      ([file, content]) => `M 100644 inline ${file}\ndata ${Buffer.byteLength(content)}\n${content}\n`,
    );
    const [first, ...others] = parents;
    await write(
      `commit refs/heads/main\nmark :${++mark}\nauthor ${who}\ncommitter ${who}\ndata ${Buffer.byteLength(text)}\n${text}\n` +
        `${first === undefined ? '' : `from :${first}\n`}${others.map((one) => `merge :${one}\n`).join('')}${body.join('')}`,
    );
    return mark;
  };
  let tip = await commit(
    'chore: begin',
    {
      'bevelstone.yaml': yaml,
      ...Object.fromEntries(
        names.map((name) => [`packages/${name}/package.json`, `${JSON.stringify({ name, version: '0.0.0' })}\n`]),
      ),
    },
    [],
  );
  let side = null;
  for (let index = 1; index < commits; index++) {
    const name = names[index % packages];
    const files = {
      [`packages/${name}/src/file-${index % 97}.js`]: `${index}\n`,
      [`packages/${name}/docs/page-${index % 13}.md`]: `${index}\n`,
    };
    if (index % 20 === 10)
      side = await commit(`fix: side work ${index}`, { [`packages/${name}/side-${index % 7}.js`]: `${index}\n` }, [
        tip,
      ]);
    else if (index % 20 === 0 && side !== null) tip = await commit(`Merge side work ${index}`, {}, [tip, side]);
    else tip = await commit(`${kinds[index % kinds.length]}: change number ${index} of the tables`, files, [tip]);
    if (tagAt.has(index)) {
      // In turn, and all packages at the last one, so that none has the whole history before it.
      const owners = index === Math.max(...tagAt) ? names : [names[counts.size % packages] ?? name];
      for (const owner of owners) {
        const version = (counts.get(owner) ?? 0) + 1;
        counts.set(owner, version);
        await write(`reset refs/tags/${owner}/1.${version}.0\nfrom :${tip}\n\n`);
      }
    }
  }
  importer.stdin.end();
  await once(importer, 'close');
  git('reset', '--quiet', '--hard', 'main');
  // As a repository is after a while: packed. fast-import's own packs are not meant to be read from.
  git('repack', '-adq', '--depth=20');
  writeFileSync(path.join(folder, '.git/description'), `${commits} commits\n`);
}
