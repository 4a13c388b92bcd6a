import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Form } from '../../core/name/form.ts';
import type { Surface, SurfaceComparison } from '../../core/surface/surface.ts';
import { type ReadSource, readSource, surfaceTools } from './read-source.ts';

/** Reads the surface of a file. @throws SURFACE_UNREADABLE for a form that has none to read, and like readArtifact. */
export async function surfaceOfFile(file: string): Promise<{ readonly read: ReadSource; readonly surface: Surface }> {
  const read = await readSource(file);
  if (read.reader === null || !read.applies) throw unreadable(file, whyNone(read));
  return { read, surface: await read.reader.read(read.source, surfaceTools) };
}

/** Compares two files of one form. @throws SURFACE_UNREADABLE, and like readArtifact. */
export async function compareFiles(old: string, now: string): Promise<SurfaceComparison & { readonly form: Form }> {
  const [before, after] = [await readSource(old), await readSource(now)];
  for (const [file, read] of [
    [now, after],
    [old, before],
  ] as const)
    if (read.reader === null) throw unreadable(file, whyNone(read));
  if (!before.applies && !after.applies) throw unreadable(now, whyNone(after));
  if (before.reader !== after.reader || after.reader === null)
    throw unreadable(old, `it is of the form ${before.form}, and ${path.basename(now)} of the form ${after.form}`);
  return { ...(await after.reader.compare(before.source, after.source, surfaceTools)), form: after.form };
}

function whyNone({ form, reader }: ReadSource): string {
  return reader === null
    ? `the public surface of the form ${form} is not read`
    : 'nothing inside is a library, a header or code that others can use';
}

function unreadable(file: string, why: string): BevelstoneError {
  return new BevelstoneError('SURFACE_UNREADABLE', {
    message: `${path.basename(file)} has no public surface that can be compared`,
    why,
    fix: 'Give a package of a language, or an archive with libraries and headers: bevelstone surface FILE',
    where: { file },
  });
}
