import type { Spellings } from './spelling.ts';

/** The version that an artifact of this form says of itself, in its ecosystem's spelling; a deb's without its revision. */
export function expectedVersion(form: string, version: string, { python, maven, debian, nuget }: Spellings): string {
  if (form === 'wheel' || form === 'sdist') return python ?? version;
  if (form === 'pom' || form.endsWith('jar')) return maven ?? version;
  if (form === 'deb') return debian?.replace(/-1$/, '') ?? version;
  return form.endsWith('nupkg') ? (nuget ?? version) : version;
}
