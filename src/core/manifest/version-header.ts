import { coreOf, prereleaseOf } from '../version/version.ts';

/**
 * Writes the version into the macros of a C header that are called after the package: `HARMONICS_VERSION "1.4.0"`,
 * `HARMONICS_VERSION_MAJOR 1` and so on. Everything else stays byte for byte.
 * @returns the text unchanged when the header has no such macro.
 */
export function stampHeader(text: string, packageName: string, version: string): string {
  const { major, minor, patch } = coreOf(version);
  const values: Readonly<Record<string, string>> = {
    VERSION: `"${version}"`,
    VERSION_STRING: `"${version}"`,
    VERSION_MAJOR: String(major),
    VERSION_MINOR: String(minor),
    VERSION_PATCH: String(patch),
    VERSION_PRERELEASE: `"${prereleaseOf(version) ?? ''}"`,
  };
  return text.replace(macroPattern(packageName), (whole, lead: string, name: string) =>
    values[name] === undefined ? whole : lead + values[name],
  );
}

/** The version that a header's macros have; null when it has none that are called after the package. */
export function headerVersion(text: string, packageName: string): string | null {
  const macros = new Map(
    [...text.matchAll(macroPattern(packageName))].map(([, , name = '', value = '']) => [name, value.replace(/"/g, '')]),
  );
  const whole = macros.get('VERSION') ?? macros.get('VERSION_STRING');
  if (whole !== undefined && /^\d/.test(whole)) return whole;
  const numbers = ['MAJOR', 'MINOR', 'PATCH'].map((part) => macros.get(`VERSION_${part}`));
  return numbers[0] === undefined ? null : numbers.map((number) => number ?? '0').join('.');
}

/** Macros that are called after a package. */
function macroPattern(packageName: string): RegExp {
  const stem = packageName.toUpperCase().replace(/[^A-Z0-9]+/g, '_');
  return new RegExp(`^([ \\t]*#[ \\t]*define[ \\t]+${stem}_(VERSION\\w*)[ \\t]+)("[^"\\n]*"|\\d+)`, 'gm');
}
