// Fewer and larger chunks. The bundler makes one for every set of commands that share something, so that a command loads a hundred
// of them, and each takes about as long as reading 20 kB. Chunks that are mostly loaded together become one file.
import { rmSync } from 'node:fs';
import path from 'node:path';
import { build } from 'esbuild';

/** Kilobytes of program text that take as long to read as one more file. */
const fileCostKB = 20;

/** How the program is bundled, at first and when chunks are merged. */
export const bundling = {
  bundle: true,
  format: 'esm',
  platform: 'node',
  target: 'node20.20',
  minifyWhitespace: true,
  minifySyntax: true,
  // The notices file has every licence text whole.
  legalComments: 'none',
};

/** Merges the chunks below a folder, in place; files that are imported late keep their names and their exports. */
export async function mergeChunks(outdir, { outputs }) {
  const chunks = new Map(
    Object.entries(outputs)
      .filter(([file]) => file.endsWith('.js'))
      .map(([file, { bytes, exports, entryPoint, imports }]) => [
        path.resolve(file),
        {
          kb: bytes / 1000,
          exports,
          isEntry: entryPoint !== undefined,
          uses: imports
            .filter(({ kind, external }) => kind === 'import-statement' && !external)
            .map((used) => path.resolve(used.path)),
        },
      ]),
  );
  const groups = groupChunks(chunks);
  const groupOf = new Map(groups.flatMap((group) => group.files.map((file) => [file, group])));
  await build({
    entryPoints: groups.map(({ files, out }) => ({
      in: files.length === 1 ? files[0] : `merged:${out}`,
      out: path.relative(outdir, out).replace(/\.js$/, ''),
    })),
    outdir,
    allowOverwrite: true,
    ...bundling,
    plugins: [mergePlugin({ outdir, chunks, groups, groupOf })],
    // The parser for sources brings it along and never calls it here.
    logOverride: { 'direct-eval': 'silent' },
    logLevel: 'warning',
  });
  for (const { files, out } of groups) for (const file of files) if (file !== out) rmSync(file);
}

/** What a group calls what one of its files exports: two files may export the same name. */
const nameIn = (group, file, name) => (group.files.length === 1 ? name : `f${group.files.indexOf(file)}_${name}`);

/** Puts the files of a group into one, and leads to the other groups' files. */
function mergePlugin({ outdir, chunks, groups, groupOf }) {
  const lead = (from, to) => {
    const relative = path.relative(path.dirname(from), to);
    return { path: relative.startsWith('.') ? relative : `./${relative}`, external: true };
  };
  return {
    name: 'merge-chunks',
    setup({ onResolve, onLoad }) {
      onResolve({ filter: /^merged:/ }, ({ path: name }) => ({
        path: name.slice('merged:'.length),
        namespace: 'merged',
      }));
      onLoad({ filter: /.*/, namespace: 'merged' }, ({ path: out }) => {
        const group = groups.find((one) => one.out === out);
        const lines = group.files.map((file) => {
          const names = chunks.get(file).exports.map((name) => `${name} as ${nameIn(group, file, name)}`);
          return `export { ${names.join(', ')} } from ${JSON.stringify(file)};`;
        });
        return { contents: lines.join('\n'), resolveDir: outdir };
      });
      onResolve({ filter: /^\.{0,2}\// }, ({ path: asked, importer, resolveDir, kind, namespace }) => {
        const file = path.resolve(resolveDir, asked);
        if (kind === 'entry-point' || namespace === 'merged') return { path: file };
        if (namespace === 'elsewhere') return lead(importer.split('\0')[0], file);
        const [own, other] = [groupOf.get(importer), groupOf.get(file)];
        if (own === other) return { path: file };
        if (other.files.length === 1) return lead(own.out, file);
        return { path: `${own.out}\0${file}`, namespace: 'elsewhere' };
      });
      onLoad({ filter: /.*/, namespace: 'elsewhere' }, ({ path: both }) => {
        const file = both.split('\0')[1];
        const group = groupOf.get(file);
        const names = chunks.get(file).exports.map((name) => `${nameIn(group, file, name)} as ${name}`);
        return { contents: `export { ${names.join(', ')} } from ${JSON.stringify(group.out)};`, resolveDir: outdir };
      });
    },
  };
}

/**
 * Groups of chunks, the best merge first, as long as one gains something: files fewer to open for all that load both, against what
 * those load in vain that need one of them, with everything that it uses. No circle is left: groups that need each other are loaded
 * by the same commands, so merging them costs nothing.
 */
function groupChunks(chunks) {
  const groups = [...chunks].map(([file, { kb, isEntry }]) => ({ files: [file], out: file, kb, isEntry }));
  for (;;) {
    const uses = usesOf(groups, chunks);
    const loads = groups.filter(({ isEntry }) => isEntry).map((entry) => closureOf(entry, uses));
    const best = bestMerge(groups, uses, loads);
    if (best === null) return groups;
    const [one, other] = best;
    groups.splice(groups.indexOf(other), 1);
    one.files.push(...other.files);
    one.kb += other.kb;
    one.out = path.join(path.dirname(one.files[0]), `shared-${path.basename(one.files[0]).replace(/^chunk-/, '')}`);
  }
}

/** The two groups whose merge gains most; null where none gains anything. What is imported late stays alone: it is named there. */
function bestMerge(groups, uses, loads) {
  const free = groups.filter(({ isEntry }) => !isEntry);
  const loadedBy = new Map(free.map((group) => [group, loads.filter((load) => load.has(group))]));
  const candidates = free.flatMap((one, index) =>
    free.slice(index + 1).flatMap((other) => {
      const both = loadedBy.get(one).filter((load) => load.has(other)).length;
      const alone = [loadedBy.get(one).length - both, loadedBy.get(other).length - both];
      const most = both * fileCostKB - alone[0] * other.kb - alone[1] * one.kb;
      return most > 0 ? [{ one, other, both, most }] : [];
    }),
  );
  let best = null;
  for (const { one, other, both, most } of candidates.sort((a, b) => b.most - a.most)) {
    if (most <= (best?.gain ?? 0)) break;
    const [closure, otherClosure] = [closureOf(one, uses), closureOf(other, uses)];
    let gain = both * fileCostKB;
    for (const [from, extra] of [
      [one, otherClosure],
      [other, closure],
    ])
      for (const load of loadedBy.get(from))
        for (const group of extra)
          if (!load.has(group)) gain -= group.kb + (group === one || group === other ? 0 : fileCostKB);
    if (gain > (best?.gain ?? 0)) best = { pair: [one, other], gain };
  }
  return best?.pair ?? null;
}

/** What each group uses directly. */
function usesOf(groups, chunks) {
  const groupOf = new Map(groups.flatMap((group) => group.files.map((file) => [file, group])));
  return new Map(
    groups.map((group) => [
      group,
      new Set(group.files.flatMap((file) => chunks.get(file).uses.map((used) => groupOf.get(used)))),
    ]),
  );
}

/** Everything that is loaded with a group. */
function closureOf(group, uses, seen = new Set()) {
  if (seen.has(group)) return seen;
  seen.add(group);
  for (const used of uses.get(group)) closureOf(used, uses, seen);
  return seen;
}
