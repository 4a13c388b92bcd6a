import type { DeployedFile } from '../record/deployment-state.ts';

/** What a deployment changes, as sorted paths inside the release. */
export type FileChanges = {
  readonly added: readonly string[];
  readonly replaced: readonly string[];
  readonly removed: readonly string[];
};

/** Compares the files of the release in place with those of the one that is to come. */
export function compareFiles(before: readonly DeployedFile[], after: readonly DeployedFile[]): FileChanges {
  const old = new Map(before.map((file) => [file.path, file]));
  const fresh = new Set(after.map((file) => file.path));
  return {
    added: sorted(after.filter((file) => !old.has(file.path))),
    replaced: sorted(
      after.filter((file) => {
        const other = old.get(file.path);
        return other !== undefined && !isSameFile(other, file);
      }),
    ),
    removed: sorted(before.filter((file) => !fresh.has(file.path))),
  };
}

/** Whether two files are the same to their users: bytes, mode and kind. */
export function isSameFile(a: DeployedFile, b: DeployedFile): boolean {
  return a.type === b.type && a.sha256 === b.sha256 && a.mode === b.mode;
}

function sorted(files: readonly DeployedFile[]): string[] {
  return files.map((file) => file.path).sort();
}
