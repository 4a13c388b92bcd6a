// Makes histories of any size through `git fast-import`: packages in folders, merges, tags, always the same.
import { spawn, spawnSync } from 'node:child_process';
import { once } from 'node:events';
import { mkdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { createInterface } from 'node:readline';

const kinds = ['fix', 'feat', 'docs', 'chore', 'test', 'fix(tides)', 'feat(log)', 'refactor'];
const firstSecond = 1_600_000_000;

/** A repository that is filled by `git fast-import`. */
async function openImport(folder, packages) {
  mkdirSync(folder, { recursive: true });
  const git = (...args) => spawnSync('git', args, { cwd: folder, stdio: 'ignore' });
  git('init', '--quiet', '--initial-branch=main');
  const importer = spawn('git', ['fast-import', '--quiet'], { cwd: folder, stdio: ['pipe', 'pipe', 'inherit'] });
  const answers = createInterface({ input: importer.stdout })[Symbol.asyncIterator]();
  const write = async (bytes) => importer.stdin.write(bytes) || once(importer.stdin, 'drain');
  let mark = 0;
  const commit = async (
    message,
    files,
    parents,
    seconds = firstSecond + mark * 60,
    { renames = [], encoding } = {},
  ) => {
    const who = `Survey boat <boat@fenmarsh.example> ${seconds} +0000`;
    const bytes = Buffer.from(message, encoding === undefined ? 'utf8' : 'latin1');
    const body = Object.entries(files).map(
      ([file, content]) => `M 100644 inline ${file}\ndata ${Buffer.byteLength(content)}\n${content}\n`,
    );
    const [first, ...others] = parents;
    const moves = renames.map(([from, to]) => `R ${from} ${to}\n`);
    const written = encoding === undefined ? '' : `encoding ${encoding}\n`;
    await write(
      `commit refs/heads/main\nmark :${++mark}\nauthor ${who}\ncommitter ${who}\n${written}data ${bytes.length}\n`,
    );
    await write(bytes);
    await write(
      `\n${first === undefined ? '' : `from :${first}\n`}${others.map((parent) => `merge :${parent}\n`).join('')}${moves.join('')}${body.join('')}`,
    );
    return mark;
  };
  const names = Array.from({ length: packages }, (_, index) => (packages === 1 ? 'tides' : `tides-${index}`));
  const yaml = [
    'schema: 1',
    'history: { tag: "{package}/{version}" }',
    'packages:',
    ...names.map((name) => `  ${name}: { folder: packages/${name} }`),
  ].join('\n');
  const manifests = names.map((name) => [
    `packages/${name}/package.json`,
    `${JSON.stringify({ name, version: '0.0.0' })}\n`,
  ]);
  return {
    names,
    commit,
    start: () => commit('chore: begin\n', { 'bevelstone.yaml': yaml, ...Object.fromEntries(manifests) }, []),
    tag: (name, at) => write(`reset refs/tags/${name}\nfrom :${at}\n\n`),
    branch: (name, at) => write(`reset refs/heads/${name}\nfrom :${at}\n\n`),
    idOf: async (at) => {
      await write(`get-mark :${at}\n`);
      return (await answers.next()).value;
    },
    close: async (title) => {
      importer.stdin.end();
      await once(importer, 'close');
      git('reset', '--quiet', '--hard', 'main');
      // As a repository is after a while: packed. fast-import's own packs are not meant to be read from.
      git('repack', '-adq', '--depth=20');
      writeFileSync(path.join(folder, '.git/description'), `${title}\n`);
    },
  };
}

/**
 * Lays a repository out at `folder`.
 * @param commits how many; every twentieth is a merge of a short side branch.
 * @param packages how many folders they touch in turn.
 * @param tags how many versions are tagged, spread over the history up to `unreleased` commits before its end.
 */
export async function makeHistory(folder, { commits, packages, tags, unreleased }) {
  const { names, commit, start, tag, close } = await openImport(folder, packages);
  const tagAt = new Set(
    Array.from({ length: tags }, (_, index) => Math.floor(((index + 1) * (commits - unreleased)) / Math.max(1, tags))),
  );
  const counts = new Map();
  const text = (message) => `${message}\n\nA line or two on why, as people write them.\n`;
  let tip = await start();
  let side = null;
  for (let index = 1; index < commits; index++) {
    const name = names[index % packages];
    const files = {
      [`packages/${name}/src/file-${index % 97}.js`]: `${index}\n`,
      [`packages/${name}/docs/page-${index % 13}.md`]: `${index}\n`,
    };
    if (index % 20 === 10)
      side = await commit(
        text(`fix: side work ${index}`),
        { [`packages/${name}/side-${index % 7}.js`]: `${index}\n` },
        [tip],
      );
    else if (index % 20 === 0 && side !== null) tip = await commit(text(`Merge side work ${index}`), {}, [tip, side]);
    else tip = await commit(text(`${kinds[index % kinds.length]}: change number ${index} of the tables`), files, [tip]);
    if (tagAt.has(index)) {
      // In turn, and all packages at the last one, so that none has the whole history before it.
      const owners = index === Math.max(...tagAt) ? names : [names[counts.size % packages] ?? name];
      for (const owner of owners) {
        const version = (counts.get(owner) ?? 0) + 1;
        counts.set(owner, version);
        await tag(`${owner}/1.${version}.0`, tip);
      }
    }
  }
  await close(`${commits} commits`);
}

/**
 * Lays out a history as people leave it: of a hundred commits one is a revert (by full and short ids, of merges, of
 * reverts, of something a few commits or half the history ago), one a cherry-pick, two have squash bodies; merges of
 * two to six sides; clocks that are wrong by up to a week; messages in Latin-1, and one subject of 1 MB in 20,000 commits; files that
 * move from package to package.
 * @param refs branches that lie anywhere in it.
 */
export async function makeMessyHistory(folder, { commits, packages, refs = 0 }) {
  const { names, commit, start, branch, idOf, close } = await openImport(folder, packages);
  const random = seeded(1);
  const pick = (list) => list[random(list.length)];
  const id = async (at) => {
    const whole = await idOf(at);
    return random(2) === 0 ? whole : whole.slice(0, 7 + random(6));
  };
  const done = [await start()];
  const [merges, reverts] = [[], []];
  const recent = () => (random(3) === 0 ? pick(done) : (done.at(-1 - random(Math.min(done.length, 300))) ?? 1));
  const when = (index) => firstSecond + index * 60 + (random(10) === 0 ? random(14 * 86_400) - 7 * 86_400 : 0);
  const files = (index) => ({ [`packages/${pick(names)}/src/file-${index % 97}.js`]: `${index}\n` });
  let tip = done[0];
  let lying = null;
  for (let index = 1; index < commits; index++) {
    const kind = index % 100;
    if (index % 20_000 === 10_002) {
      tip = await commit(`fix: ${'low water, '.repeat(95_000)}\n`, files(index), [tip], when(index));
    } else if (kind === 97) {
      const message = `fix: Höhe des Hochwassers ${index}\n\nFür Büsum, geprüft.\n`;
      tip = await commit(message, files(index), [tip], when(index), { encoding: 'ISO-8859-1' });
    } else if (kind === 47) {
      lying = `packages/${pick(names)}/moved-${index}.js`;
      tip = await commit(`feat: one more table ${index}\n`, { [lying]: `${index}\n` }, [tip], when(index));
    } else if (kind === 48 && lying !== null) {
      const to = `packages/${pick(names)}/moved-here-${index}.js`;
      tip = await commit(`refactor: move a table ${index}\n`, {}, [tip], when(index), { renames: [[lying, to]] });
      lying = null;
    } else if (kind === 17) {
      const target = merges.length > 0 && random(5) === 0 ? pick(merges) : null;
      const undone = target?.at ?? (reverts.length > 0 && random(4) === 0 ? reverts.at(-1) : recent());
      const behind = target === null ? '' : `, reversing\nchanges made to ${await id(target.keeps)}`;
      tip = await commit(
        `Revert "change"\n\nThis reverts commit ${await id(undone)}${behind}.\n`,
        files(index),
        [tip],
        when(index),
      );
      reverts.push(tip);
    } else if (kind === 37) {
      const message = `fix: change picked ${index}\n\n(cherry picked from commit ${await id(recent())})\n`;
      tip = await commit(message, files(index), [tip], when(index));
    } else if (kind === 57 || kind === 77) {
      const message = `feat: squashed ${index}\n\n* fix: first of ${index}\n* docs: second of ${index}\n* feat(log): third of ${index}\n`;
      tip = await commit(message, files(index), [tip], when(index));
    } else if (kind % 25 === 5) {
      const sides = [];
      for (let side = 0; side <= (kind === 5 ? 1 + random(5) : 0); side++)
        sides.push(await commit(`feat: side work ${index}.${side}\n`, files(index + side), [tip], when(index)));
      const keeps = tip;
      tip = await commit(`Merge side work ${index}\n`, {}, [tip, ...sides], when(index));
      merges.push({ at: tip, keeps });
      done.push(...sides);
      index += sides.length;
    } else tip = await commit(`${pick(kinds)}: change number ${index}\n`, files(index), [tip], when(index));
    done.push(tip);
  }
  for (let index = 0; index < refs; index++) await branch(`old/${index % 100}/work-${index}`, pick(done));
  await close(`${commits} messy commits`);
}

/** A history in which every commit but two reverts the same one. */
export async function makeRevertsOfOne(folder, commits) {
  const { names, commit, start, idOf, close } = await openImport(folder, 1);
  const first = await start();
  const reverted = await commit('feat: high water\n', { [`packages/${names[0]}/high.js`]: 'high\n' }, [first]);
  const id = await idOf(reverted);
  let tip = reverted;
  for (let index = 2; index < commits; index++) {
    const files = { [`packages/${names[0]}/high.js`]: `${index}\n` };
    tip = await commit(`Revert "feat: high water"\n\nThis reverts commit ${id}.\n`, files, [tip]);
  }
  await close(`${commits} reverts of one`);
}

/** A history with one commit that touches many paths of ten packages. */
export async function makeWideCommit(folder, paths) {
  const { names, commit, start, close } = await openImport(folder, 10);
  const files = Object.fromEntries(
    Array.from({ length: paths }, (_, index) => [
      `packages/${names[index % 10]}/tables/${index % 997}/table-${index}.txt`,
      `${index % 100}\n`,
    ]),
  );
  await commit('feat: all tables\n', files, [await start()]);
  await close(`${paths} paths`);
}

/** A history with many tags on one commit, each a version, and one more commit. */
export async function makeTaggedCommit(folder, tags) {
  const { names, commit, start, tag, close } = await openImport(folder, 1);
  const first = await start();
  for (let index = 0; index < tags; index++)
    await tag(`${names[0]}/1.${Math.floor(index / 100)}.${index % 100}`, first);
  await commit('fix: low water\n', { [`packages/${names[0]}/low.js`]: 'low\n' }, [first]);
  await close(`${tags} tags`);
}

/** Whole numbers below a limit, the same at every run (a linear congruential generator). */
function seeded(seed) {
  let state = seed;
  return (below) => {
    state = (Math.imul(state, 1_664_525) + 1_013_904_223) >>> 0;
    return Math.floor((state / 2 ** 32) * below);
  };
}
