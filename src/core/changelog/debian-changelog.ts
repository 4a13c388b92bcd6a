import { renderDebianStanza } from './plain-text.ts';
import type { ReleaseNotes } from './section.ts';

/** What a Debian changelog says beside the changes. */
export type DebianAbout = {
  /** As Debian spells it, with its revision. */
  readonly version: string;
  /** `NAME <ADDRESS>`. */
  readonly maintainer: string;
  readonly at: Date;
};

/** The first line of a stanza (deb-changelog(5)). */
const header = /^([a-z0-9][a-z0-9+.-]+) \(([^)\s]+)\)((?: [\w~.-]+)+); ?(\S.*)$/m;

/** Whether a changelog is one of Debian's: by its place or by its first line. */
export function isDebianChangelog(file: string, text: string): boolean {
  return /(?:^|\/)debian\/changelog$|changelog\.Debian$/.test(file) || header.exec(text.trimStart())?.index === 0;
}

/**
 * Puts a stanza on top, with package, distribution and urgency of the last one. A stanza for `UNRELEASED` becomes that of the
 * release and keeps its changes.
 */
export function extendDebian(
  text: string,
  notes: ReleaseNotes,
  { version, maintainer, at }: DebianAbout,
): { readonly text: string; readonly change: 'inserted' | 'moved' | 'already-there' } {
  const stanzas = [...text.matchAll(new RegExp(header.source, 'gm'))];
  if (stanzas.some(([, , found, target = '']) => found === version && target.trim() !== 'UNRELEASED'))
    return { text, change: 'already-there' };
  const [top] = stanzas;
  const released = stanzas.find(([, , , target = '']) => target.trim() !== 'UNRELEASED');
  const name = top?.[1] ?? notes.package;
  const target = released?.[3]?.trim() ?? 'unstable';
  const keys = released?.[4] ?? 'urgency=medium';
  const stanza = renderDebianStanza({ notes: { ...notes, package: name }, version, maintainer, at });
  const head = `${name} (${version}) ${target}; ${keys}`;
  if (top === undefined || top[3]?.trim() !== 'UNRELEASED')
    return { text: `${stanza.replace(/^.*\n/, `${head}\n`)}${text === '' ? '' : `\n${text}`}`, change: 'inserted' };
  const rest = text.slice(top.index + top[0].length);
  const end = rest.search(/^ -- .*$/m);
  const signature = /^ -- .*$/m.exec(stanza)?.[0] ?? '';
  const moved =
    end === -1
      ? `${rest.trimEnd()}\n\n${signature}\n`
      : rest.slice(0, end) + rest.slice(end).replace(/^ -- .*$/m, () => signature);
  return { text: `${text.slice(0, top.index)}${head}${moved}`, change: 'moved' };
}
