import { type Artifact, foldersIn, pathsIn } from '../../form/artifact.ts';
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

function twice(artifact: Artifact): RawFinding[] {
  const { entries } = artifact;
  if (pathsIn(artifact).size === entries.length) return [];
  const seen = new Set<string>();
  const counts = new Map<string, number>();
  for (const { path, type } of entries) {
    if (type === 'folder') continue;
    if (seen.has(path)) counts.set(path, (counts.get(path) ?? 1) + 1);
    seen.add(path);
  }
  return [...counts].map(([path, count]) => ({
    path,
    message: `the path occurs ${count === 2 ? 'twice' : `${count} times`}`,
  }));
}

/** Files and links whose path is that of a folder too, by an entry of its own or by what lies in it. */
function asFolders(artifact: Artifact): RawFinding[] {
  const folders = foldersIn(artifact);
  const found = artifact.entries.filter(({ path, type }) => type !== 'folder' && folders.has(path));
  return found.map(({ path, type }) => ({
    path,
    message: `it is a ${type === 'symlink' ? 'link' : 'file'} and a folder at the same time`,
  }));
}
