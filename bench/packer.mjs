// The packing of the program alone, as a program: a build would count a checkout too, which the plain tools do not make.
import path from 'node:path';
import { buildSync } from 'esbuild';

/** Writes the program: its arguments are a folder and the archive to be made of it. */
export function buildPacker(outfile) {
  buildSync({
    stdin: {
      contents: `
        import { listFiles } from './src/world/list-files.ts';
        import { writeTarGz } from './src/world/archive/write-tar.ts';
        import { writeZip } from './src/world/archive/write-zip.ts';
        import path from 'node:path';
        const [folder, out] = process.argv.slice(2);
        const files = (await listFiles(folder)).sort((a, b) => (a.path < b.path ? -1 : 1));
        const inputs = files.map(({ path: inside, sizeBytes }) => ({ path: inside, mode: 0o644, origin: { type: 'generated' },
          content: { type: 'file', file: path.join(folder, inside), sizeBytes } }));
        const write = out.endsWith('.zip') ? writeZip : writeTarGz;
        const written = await write(out, inputs, { mtime: 1_775_000_000 });
        console.log(written.sha256, written.entries.length);`,
      resolveDir: path.join(import.meta.dirname, '..'),
      loader: 'ts',
    },
    bundle: true,
    platform: 'node',
    format: 'esm',
    outfile,
    logLevel: 'warning',
  });
}
