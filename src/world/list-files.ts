import { lstatSync, readlinkSync } from 'node:fs';
import { readdir } from 'node:fs/promises';
import path from 'node:path';
import type { Candidate } from '../core/contents/select.ts';

/** A file with a mark that changes when it is written. */
export type ListedFile = Candidate & { readonly stamp: string };

const skipped = new Set(['node_modules']);

/**
 * All files below a folder, paths with `/` inside it, links as links; `.git` and `node_modules` are not entered.
 * Special files are left out: nothing that is packed may be one.
 */
export async function listFiles(folder: string): Promise<ListedFile[]> {
  const found: ListedFile[] = [];
  await listInto(found, folder, '');
  return found;
}

/** Adds to one list: there may be a million files, and so many arguments a call can't have. */
async function listInto(found: ListedFile[], folder: string, inside: string): Promise<void> {
  const items = await readdir(path.join(folder, inside), { withFileTypes: true });
  for (const item of items) {
    // In a worktree `.git` is a file, and it names a path of this machine.
    if (item.name === '.git') continue;
    const name = inside === '' ? item.name : `${inside}/${item.name}`;
    if (item.isDirectory()) {
      if (!skipped.has(item.name)) await listInto(found, folder, name);
    } else if (item.isFile() || item.isSymbolicLink()) {
      found.push(describe(folder, name, item.isSymbolicLink()));
    }
  }
}

// In step, since a question that is answered from memory costs ten times as much when it goes through the thread pool.
function describe(folder: string, name: string, isLink: boolean): ListedFile {
  const file = path.join(folder, name);
  const { size, mode, mtimeMs, ino } = lstatSync(file);
  return {
    path: name,
    sizeBytes: size,
    isExecutable: !isLink && (mode & 0o100) !== 0,
    linkname: isLink ? readlinkSync(file) : null,
    stamp: `${size}:${mtimeMs}:${ino}`,
  };
}
