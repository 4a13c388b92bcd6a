import { type Entry, formatMode } from '../../core/contents/entry.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { cleanText } from '../../core/text/clean.ts';
import type { Screen } from './screen.ts';

type Folder = { readonly folders: Map<string, Folder>; readonly files: Entry[]; sizeBytes: number; count: number };

/** Entries as a tree: folders with what they hold in all, files with size and mode where it is not the usual one. */
export function renderEntryTree(entries: readonly Entry[], screen: Screen): string {
  const root = emptyFolder();
  for (const entry of entries) place(root, entry);
  return lines(root, 4, screen).join('\n');
}

function emptyFolder(): Folder {
  return { folders: new Map(), files: [], sizeBytes: 0, count: 0 };
}

function place(root: Folder, entry: Entry): void {
  const parts = entry.path.replace(/\/$/, '').split('/');
  const names = entry.type === 'folder' ? parts : parts.slice(0, -1);
  let folder = root;
  for (const name of names) {
    const inner: Folder = folder.folders.get(name) ?? emptyFolder();
    folder.folders.set(name, inner);
    folder = inner;
    folder.sizeBytes += entry.sizeBytes;
    if (entry.type !== 'folder') folder.count++;
  }
  if (entry.type !== 'folder') folder.files.push(entry);
}

function lines(folder: Folder, indent: number, screen: Screen): string[] {
  const lead = ' '.repeat(indent);
  const inner = [...folder.folders].flatMap(([name, value]) => {
    const files = `${value.count} ${value.count === 1 ? 'file' : 'files'}, ${formatBytes(value.sizeBytes)}`;
    return [`${lead}${cleanText(name)}/  ${screen.colours.dim(files)}`, ...lines(value, indent + 2, screen)];
  });
  const own = folder.files.map(({ path, sizeBytes, mode, type, linkname }) => {
    const notes = [
      ...(type === 'file' ? [formatBytes(sizeBytes)] : [`${type} to ${linkname ?? ''}`]),
      ...(mode === 0o644 || type !== 'file' ? [] : [formatMode(mode)]),
    ];
    return `${lead}${cleanText(path.split('/').at(-1) ?? path)}  ${screen.colours.dim(cleanText(notes.join(', ')))}`;
  });
  return [...inner, ...own];
}
