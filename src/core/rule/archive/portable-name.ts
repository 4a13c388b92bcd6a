import { formsBut } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

// Microsoft's "Naming Files, Paths, and Namespaces".
const reserved = /^(?:con|prn|aux|nul|com[0-9¹²³]|lpt[0-9¹²³])(?:\.|$)/i;
const maxBytes = 255;

export const portableName: Rule = {
  id: 'archive/portable-name',
  forms: formsBut('deb'),
  severity: 'warn',
  what: 'Every name is valid on all common systems',
  why: 'On other systems unpacking fails half-way or changes the name',
  fix: 'Rename the file',
  example: 'lib/aux.js, or a name with a colon',
  check: ({ entries }) =>
    entries.flatMap(({ path }): RawFinding[] => {
      if (isPlain(path)) return [];
      const reasons = path.split('/').flatMap((part) => reasonFor(part) ?? []);
      return reasons.length === 0 ? [] : [{ path, message: reasons[0] ?? '' }];
    }),
};

/** Whether a path has nothing that needs a closer look, as most have not. */
function isPlain(path: string): boolean {
  return path.length < maxBytes && /^[\w+@~./-]*$/.test(path) && !closer.test(path);
}

const closer = /\.(?:\/|$)|(?:^|\/)(?:con|prn|aux|nul|com[0-9]|lpt[0-9])(?:[./]|$)/i;

function reasonFor(part: string): string | null {
  if (reserved.test(part)) return `"${part}" is a device on Windows`;
  const odd = /[<>:"|?*]/.exec(part)?.[0];
  if (odd !== undefined) return `Windows allows no ${odd} in a name`;
  if (/[. ]$/.test(part) && part !== '.' && part !== '..') return 'Windows drops a dot or a space at the end of a name';
  if (Buffer.byteLength(part) > maxBytes) return `a part of it has more than ${maxBytes} bytes`;
  return part === part.normalize('NFC')
    ? null
    : 'its accents are written apart from their letters, which some systems join';
}
