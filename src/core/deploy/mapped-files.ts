import path from 'node:path/posix';
import type { DeployedFile, DeployedPart } from '../record/deployment-state.ts';

/** A file of a release at the place that a part gives it. */
export type PlacedFile = {
  readonly file: DeployedFile;
  readonly to: string;
  /** The mapped path that it lies at or below. */
  readonly top: string;
};

/** The files of a release that belong to a part, with their absolute paths on the target. */
export function filesOfPart(files: readonly DeployedFile[], { from, to }: DeployedPart): PlacedFile[] {
  return files.flatMap((file) => {
    const inside = insidePart(file.path, from);
    return inside === null ? [] : [{ file, to: inside === '' ? to : path.join(to, inside), top: to }];
  });
}

/** The path inside a part, '' for the part itself; null for what does not belong to it. */
export function insidePart(file: string, from: string): string | null {
  if (from === '.') return file;
  if (file === from) return '';
  return file.startsWith(`${from}/`) ? file.slice(from.length + 1) : null;
}

/** What the link of a part says: relative, so that the whole folder can be moved. */
export function linknameFor({ from, to }: DeployedPart, folder: string): string {
  const place = from === '.' ? path.join(folder, 'current') : path.join(folder, 'current', from);
  return path.relative(path.dirname(to), place);
}
