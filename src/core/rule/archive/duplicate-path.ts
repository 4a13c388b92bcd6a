import type { Artifact } from '../../form/artifact.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const duplicatePath: Rule = {
  id: 'archive/duplicate-path',
  forms: allForms,
  severity: 'refuse',
  what: 'No two entries have the same path, as a file or as a folder',
  why: 'The installer decides which one is installed, so users get different files',
  fix: 'Keep one of them',
  example: 'lib/tide.js twice, with different bytes; or a file lib beside lib/tide.js',
  check: (artifact) => [...twice(artifact), ...asFolders(artifact)],
};

function twice({ entries }: Artifact): RawFinding[] {
  const counts = new Map<string, number>();
  for (const { path, type } of entries) if (type !== 'folder') counts.set(path, (counts.get(path) ?? 0) + 1);
  return [...counts]
    .filter(([, count]) => count > 1)
    .map(([path, count]) => ({ path, message: `the path occurs ${count === 2 ? 'twice' : `${count} times`}` }));
}

/** Files and links whose path is that of a folder too, by an entry of its own or by what lies in it. */
function asFolders({ entries }: Artifact): RawFinding[] {
  const folders = new Set<string>();
  for (const { path, type } of entries) {
    if (type === 'folder') folders.add(path.replace(/\/+$/, ''));
    for (let at = path.indexOf('/'); at !== -1; at = path.indexOf('/', at + 1)) folders.add(path.slice(0, at));
  }
  const found = entries.filter(({ path, type }) => type !== 'folder' && folders.has(path));
  return found.map(({ path, type }) => ({
    path,
    message: `it is a ${type === 'symlink' ? 'link' : 'file'} and a folder at the same time`,
  }));
}
