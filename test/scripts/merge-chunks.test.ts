import { execFileSync } from 'node:child_process';
import { mkdirSync, readdirSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { build, type Metafile } from 'esbuild';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { temporaryFolder } from '../builders/repository.ts';

const script = pathToFileURL(path.resolve(import.meta.dirname, '../../scripts/merge-chunks.mjs')).href;
const { mergeChunks } = (await import(script)) as {
  mergeChunks: (outdir: string, metafile: Metafile) => Promise<void>;
};

/** Which of the modules before it each one uses, and which modules each command uses. */
type Shape = {
  readonly uses: readonly (readonly number[])[];
  /** Kilobytes of each module. */
  readonly sizes: readonly number[];
  readonly commands: readonly (readonly number[])[];
  /** Modules that are a command themselves. */
  readonly late: readonly number[];
};

/** A program in chunks: each command prints what its modules say, which all export the same names. */
async function programOf({ uses, sizes, commands, late }: Shape): Promise<{ outdir: string; metafile: Metafile }> {
  const folder = temporaryFolder();
  const write = (name: string, lines: string[]) => writeFileSync(path.join(folder, `${name}.mjs`), lines.join('\n'));
  uses.forEach((used, own) => {
    write(`m${own}`, [
      ...used.map(
        (other) =>
          `import { made as made${other}, say as say${other}, count as count${other} } from './m${other}.mjs';`,
      ),
      // Made when the module is loaded, so that a circle of files would fail.
      `export const made = ['${own}', '${'~'.repeat((sizes[own] ?? 0) * 1000)}'.length, ${used.map((other) => `made${other}`)}].join();`,
      'export let count = 0;',
      `export function say() { count++; return [made, count, ${used.map((other) => `say${other}(), count${other}`)}].join(); }`,
      `export { say as run }; export default 'the harbour of ${own}';`,
    ]);
  });
  commands.forEach((used, own) => {
    write(`c${own}`, [
      ...used.map((other) => `import name${other}, { say as say${other} } from './m${other}.mjs';`),
      `export const run = () => [${used.map((other) => `name${other}, say${other}()`)}].join();`,
    ]);
  });
  write('main', [
    `const commands = [${[...commands.keys()]
      .map((own) => `c${own}`)
      .concat(late.map((own) => `m${own}`))
      .map((name) => `() => import('./${name}.mjs')`)}];`,
    'for (const at of process.argv.slice(2)) console.log((await commands[Number(at)]()).run());',
  ]);
  const outdir = path.join(folder, 'dist');
  mkdirSync(outdir);
  const { metafile } = await build({
    entryPoints: [path.join(folder, 'main.mjs')],
    outdir,
    outExtension: { '.js': '.js' },
    absWorkingDir: folder,
    bundle: true,
    splitting: true,
    format: 'esm',
    platform: 'node',
    chunkNames: 'chunk/[name]-[hash]',
    metafile: true,
  });
  writeFileSync(path.join(outdir, 'package.json'), '{ "type": "module" }');
  // The names of what was built are relative to this folder.
  const outputs = Object.fromEntries(
    Object.entries(metafile.outputs).map(([file, output]) => [
      path.join(folder, file),
      { ...output, imports: output.imports.map((used) => ({ ...used, path: path.join(folder, used.path) })) },
    ]),
  );
  return { outdir, metafile: { ...metafile, outputs } };
}

const runOf = (outdir: string, words: readonly string[]) =>
  execFileSync(process.execPath, [path.join(outdir, 'main.js'), ...words], { encoding: 'utf8' });

const shapes = fc.integer({ min: 2, max: 9 }).chain((count) =>
  fc.record({
    uses: fc.tuple(
      ...Array.from({ length: count }, (_, own) =>
        own === 0 ? fc.constant([]) : fc.uniqueArray(fc.integer({ min: 0, max: own - 1 }), { maxLength: 3 }),
      ),
    ),
    sizes: fc.array(fc.constantFrom(0, 12, 40), { minLength: count, maxLength: count }),
    commands: fc.array(fc.uniqueArray(fc.integer({ min: 0, max: count - 1 }), { minLength: 1, maxLength: 4 }), {
      minLength: 1,
      maxLength: 6,
    }),
    late: fc.uniqueArray(fc.integer({ min: 0, max: count - 1 }), { maxLength: 2 }),
  }),
);

describe('merging chunks', () => {
  it('changes nothing of what a program does, whatever its modules use', async () => {
    await fc.assert(
      fc.asyncProperty(shapes, async (shape) => {
        const { outdir, metafile } = await programOf(shape);
        const words = [...shape.commands, ...shape.late].map((_, own) => String(own));
        const all = [words, [...words].reverse()];
        const before = all.map((run) => runOf(outdir, run));

        await mergeChunks(outdir, metafile);

        expect(all.map((run) => runOf(outdir, run))).toEqual(before);
      }),
      { numRuns: 20 },
    );
  });

  it('leaves fewer files', async () => {
    // Every two commands share a module that no other has.
    const pairs = [0, 1, 2, 3].flatMap((one) =>
      [0, 1, 2, 3].filter((other) => other > one).map((other) => [one, other]),
    );
    const commands = [0, 1, 2, 3].map((own) => pairs.flatMap((pair, at) => (pair.includes(own) ? [at] : [])));
    const { outdir, metafile } = await programOf({ uses: pairs.map(() => []), sizes: [], commands, late: [] });
    const count = () => readdirSync(path.join(outdir, 'chunk')).length;
    const before = count();

    await mergeChunks(outdir, metafile);

    expect(before).toBe(commands.length + pairs.length);
    expect(count()).toBe(commands.length + 1);
  });
});
