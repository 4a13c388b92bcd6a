import type { Ecosystem } from '../name/ecosystem.ts';
import { strictReading } from '../version/loose-version.ts';
import { defaultTagPattern, formatTag, type TagOwner, type TagPattern } from '../version/tag-pattern.ts';
import { ecosystemDefinitions } from './definitions.ts';

type Tagged = { readonly folder: string; readonly ecosystem: Ecosystem };

/** The pattern of the only tags that the clients of a package read; null where they read none. */
export function patternOfClients({ folder, ecosystem }: Tagged): TagPattern | null {
  const read = ecosystemDefinitions[ecosystem].tagsRead?.(folder) ?? null;
  return read === null ? null : { ...strictReading, read };
}

/** The pattern of a package that names none, in a workspace of so many packages. */
export function usualTagPattern(pkg: Tagged, packages: number): TagPattern {
  return patternOfClients(pkg) ?? defaultTagPattern(packages);
}

/** What to say of a package whose releases get tags that its clients do not read; null when they do. */
export function unreadTagNote(pkg: TagOwner & Tagged): string | null {
  const wanted = patternOfClients(pkg);
  if (wanted === null) return null;
  const [written, read] = [formatTag(pkg, '1.4.0'), formatTag({ ...pkg, tags: [wanted] }, '1.4.0')];
  return written === read
    ? null
    : `${pkg.name}: ${pkg.ecosystem} finds only tags such as ${read}, and 1.4.0 would be tagged ${written}; in bevelstone.yaml: tag: "${wanted.read}"`;
}
