import type { Difference } from './surface.ts';

const title = 'Changes to the public surface';

/** Names by what happened to them, in the order of a reader's interest. */
const groups: readonly (readonly [string, (difference: Difference) => boolean])[] = [
  ['Removed', ({ effect, new: now }) => effect === 'breaking' && now === null],
  ['Changed, not compatible', ({ effect, new: now }) => effect === 'breaking' && now !== null],
  ['New', ({ effect }) => effect === 'addition'],
  ['Changed', ({ effect }) => effect === 'compatible' || effect === 'unknown'],
];

/** The section of release notes that names what changed; null where nothing did. @param level of its heading. */
export function surfaceSection(differences: readonly Difference[], level: number): string | null {
  const lines = groups.flatMap(([word, isMeant]) => {
    const names = [...new Set(differences.filter(isMeant).map(({ name }) => name))];
    return names.length === 0
      ? []
      : [`- ${word}: ${names.map((name) => `\`${name.replaceAll('`', "'")}\``).join(', ')}`];
  });
  return lines.length === 0 ? null : `${'#'.repeat(level)} ${title}\n\n${lines.join('\n')}\n`;
}

/** Notes with the section at their end, in place of an earlier one. */
export function withSurfaceSection(notes: string, section: string | null): string {
  const start = notes.search(new RegExp(`^#+ ${title}$`, 'm'));
  const own = (start === -1 ? notes : notes.slice(0, start)).trimEnd();
  return section === null ? `${own}\n` : `${own}\n\n${section}`;
}
