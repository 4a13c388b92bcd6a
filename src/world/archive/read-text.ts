import { createReadStream } from 'node:fs';
import { stat } from 'node:fs/promises';
import path from 'node:path';
import type { ContainerReader } from './container.ts';
import { EntryCollector } from './entry-watcher.ts';

/** A file that is an artifact by itself, such as a POM: one entry. */
export const readTextFile: ContainerReader = async (file, watcher, budget) => {
  const collector = new EntryCollector(watcher, budget);
  const { size } = await stat(file);
  const header = { path: path.basename(file), type: 'file', sizeBytes: size, mode: 0o644, linkname: null } as const;
  await collector.file({ ...header, mtime: null, owner: null }, createReadStream(file));
  return { ...(await collector.finish()), comment: null, control: new Map() };
};
