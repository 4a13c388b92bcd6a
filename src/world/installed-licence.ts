import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';

/** Text of a file, null where it cannot be had. In step: there may be thousands, each read once. */
export function readTextNow(file: string): string | null {
  try {
    return readFileSync(file, 'utf8');
  } catch {
    // An installed tree is a help, not a source: whatever is wrong with it, the SBOM says "unknown".
    return null;
  }
}

/** Metadata files of the Python distributions installed in virtual environments of a folder, by their normalised names. */
export function pythonMetadata(root: string): Map<string, string> {
  const found = new Map<string, string>();
  for (const base of [path.join(root, '.venv'), path.join(root, 'venv'), path.join(root, 'env')]) {
    for (const python of namesIn(path.join(base, 'lib')).filter((name) => name.startsWith('python'))) {
      const packages = path.join(base, 'lib', python, 'site-packages');
      for (const name of namesIn(packages).filter((name) => name.endsWith('.dist-info'))) {
        const project = name
          .replace(/-[^-]*\.dist-info$/, '')
          .toLowerCase()
          .replace(/[-_.]+/g, '-');
        if (!found.has(project)) found.set(project, path.join(packages, name, 'METADATA'));
      }
    }
  }
  return found;
}

function namesIn(folder: string): string[] {
  try {
    return readdirSync(folder);
  } catch {
    return [];
  }
}
