import type { InputConfig } from '../../core/config/config.ts';
import { type SourceInput, sourceInput } from '../../core/form/source-archive/from-source.ts';
import { patchFiles } from '../../core/input/patch-files.ts';
import { listFilesAt, readBlobsAt } from '../../world/git/read-objects.ts';
import type { GitPlace } from '../../world/git/run-git.ts';
import type { Package } from '../workspace/workspace.ts';
import { type AppliedPatch, describePatch } from './applied-patch.ts';

/** The inputs of a package as a commit has them, for others to get; nothing is fetched. */
export async function inputsAt(place: GitPlace, commit: string, pkg: Package): Promise<SourceInput[]> {
  return (await patchesAt(place, commit, pkg)).map(({ input, patches }) => sourceInput(input, patches));
}

/** The inputs of a package with their patches as a commit has them. */
export async function patchesAt(
  place: GitPlace,
  commit: string,
  { folder, config }: Package,
): Promise<{ readonly input: InputConfig; readonly patches: readonly AppliedPatch[] }[]> {
  if (config.inputs.length === 0) return [];
  const prefix = folder === '' ? '' : `${folder}/`;
  const all = [...(await listFilesAt(place, commit, folder)).keys()].map((file) => file.slice(prefix.length));
  return Promise.all(
    config.inputs.map(async (input) => {
      const named = patchFiles(config, input, all).found.map((file) => prefix + file);
      const blobs = await readBlobsAt(place, commit, named);
      const patches = [...blobs].map(([file, bytes]) =>
        describePatch(file.slice(prefix.length), bytes ?? new Uint8Array()),
      );
      return { input, patches };
    }),
  );
}
