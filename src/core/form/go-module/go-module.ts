import { compareBytes } from '../../contents/entry.ts';
import { type Staged, sortStaged } from '../../contents/select.ts';
import { BevelstoneError } from '../../error/bevelstone-error.ts';
import { whyWrongPath } from '../../manifest/module-path.ts';
import type { FormInput, Layout } from '../layout.ts';
import { fileNameOf } from '../placeholder.ts';
import { plannedFile, plannedText } from '../plan.ts';
import { foldedTwins, isVendored, moduleLimits, whyWrongFilePath } from './module-files.ts';

/**
 * The zip of a module (Go Modules Reference, "Module zip files"): the files of its folder at the commit below
 * `PATH@VERSION/`, without modules inside it, without vendored packages, and with the licence of the repository where it has
 * none of its own, as the client itself takes it from git.
 */
export const goModule: Layout = {
  select: async ({ files, tracked }) => {
    const nested = files
      .filter(({ path }) => /\/go\.mod$/i.test(path) && tracked.has(path))
      .map(({ path }) => path.slice(0, -'go.mod'.length));
    return sortStaged(
      files
        .filter(
          ({ path, linkname }) =>
            tracked.has(path) &&
            linkname === null &&
            !isVendored(path) &&
            !nested.some((folder) => path.startsWith(folder)),
        )
        // A module has no modes: the client makes every file readable alone.
        .map((source) => ({ source, path: source.path, mode: 0o644 })),
    );
  },
  plan: async (input, staged) => {
    const { manifest, packageName, version, folder, readAbove } = input;
    const name = manifest?.name ?? packageName;
    const why = whyWrongPath(name, version);
    if (why !== null)
      throw refused(input, {
        what: `${name} cannot be the path of this module`,
        why,
        fix: 'Correct `module` in go.mod',
      });
    const prefix = `${name}@v${version}/`;
    const licence = staged.some(({ path }) => path === 'LICENSE') || folder === '' ? null : await readAbove('LICENSE');
    const entries = [
      ...staged.map((staged) => plannedFile(staged, prefix)),
      ...(licence === null ? [] : [plannedText(`${prefix}LICENSE`, licence)]),
    ].sort((a, b) => compareBytes(a.path, b.path));
    refuseFiles(input, staged);
    return {
      fileName: `${fileNameOf(name)}-v${version}.zip`,
      container: 'zip',
      entries,
      comment: null,
      metadata: '',
    };
  },
};

function refuseFiles(input: FormInput, staged: readonly Staged[]): void {
  if (!staged.some(({ path }) => path === 'go.mod'))
    throw refused(input, {
      what: 'there is no go.mod',
      why: 'the folder of a module has one at its top',
      fix: 'Add `go.mod` to the files',
    });
  for (const { path } of staged) {
    const why = whyWrongFilePath(path);
    if (why !== null) throw refused(input, { what: `${path} cannot be part of a module`, why, fix: 'Rename it' });
  }
  const twins = foldedTwins(staged.map(({ path }) => path));
  if (twins !== null)
    throw refused(input, {
      what: `${twins[0]} and ${twins[1]} differ in capital letters only`,
      why: 'a module may be unpacked where they are one',
      fix: 'Rename one of them',
    });
  const total = staged.reduce((sum, { source }) => sum + source.sizeBytes, 0);
  if (total > moduleLimits.total)
    throw refused(input, {
      what: 'the files are too large for a module',
      why: `${total} bytes, and at most ${moduleLimits.total} are taken`,
      fix: 'Leave large files out of the module',
    });
}

function refused(
  { packageName }: FormInput,
  { what, why, fix }: { readonly what: string; readonly why: string; readonly fix: string },
): BevelstoneError {
  return new BevelstoneError('MODULE_REFUSED', {
    message: `${packageName}: ${what}`,
    why,
    fix,
    where: { file: 'go.mod' },
  });
}
