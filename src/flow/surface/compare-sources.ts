import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Form } from '../../core/name/form.ts';
import type { Surface, SurfaceComparison } from '../../core/surface/surface.ts';
import { type ReadSource, readSource, surfaceTools } from './read-source.ts';

/** Reads the surface of a file. @throws SURFACE_UNREADABLE for a form that has none to read, and like readArtifact. */
export async function surfaceOfFile(file: string): Promise<{ readonly read: ReadSource; readonly surface: Surface }> {
  const read = await readSource(file);
  if (read.reader === null) throw unreadable(file, `the public surface of the form ${read.form} is not read`);
  return { read, surface: await read.reader.read(read.source, surfaceTools) };
}

/** Compares two files of one form. @throws SURFACE_UNREADABLE, and like readArtifact. */
export async function compareFiles(old: string, now: string): Promise<SurfaceComparison & { readonly form: Form }> {
  const [before, after] = [await readSource(old), await readSource(now)];
  for (const [file, read] of [
    [now, after],
    [old, before],
  ] as const)
    if (read.reader === null) throw unreadable(file, `the public surface of the form ${read.form} is not read`);
  if (before.reader !== after.reader || after.reader === null)
    throw unreadable(old, `it is of the form ${before.form}, and ${path.basename(now)} of the form ${after.form}`);
  return { ...(await after.reader.compare(before.source, after.source, surfaceTools)), form: after.form };
}

function unreadable(file: string, why: string): BevelstoneError {
  return new BevelstoneError('SURFACE_UNREADABLE', {
    message: `${path.basename(file)} has no public surface that can be compared`,
    why,
    fix: 'Give a package for the npm client (.tgz)',
    where: { file },
  });
}
