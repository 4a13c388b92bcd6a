import type { StampConfig } from '../config/config.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { compilePattern } from '../text/linear-pattern.ts';
import { coreOf, prereleaseOf } from '../version/version.ts';

/**
 * Writes the version into a file by a rule of the maintainer's: every match of `find` becomes `write` with its placeholders
 * filled: `{version} {commit} {major} {minor} {patch}`.
 * @throws STAMP_NO_MATCH when nothing matches, since the version would then be missing.
 */
export function stampByRule(text: string, rule: StampConfig, facts: { version: string; commit: string }): string {
  const pattern = compilePattern(rule.find, true);
  if (!pattern.test(text)) throw noMatch(rule, 'no line of it matches `find`');
  const { major, minor, patch } = coreOf(facts.version);
  const values: Readonly<Record<string, string>> = {
    ...facts,
    major: `${major}`,
    minor: `${minor}`,
    patch: `${patch}`,
  };
  const written = rule.write.replace(/\{(\w+)\}/g, (whole, name: string) => values[name] ?? whole);
  return pattern.replaceAll(text, written);
}

/** The error for a stamp rule that finds no place. */
export function noMatch({ file, find }: StampConfig, why: string): BevelstoneError {
  return new BevelstoneError('STAMP_NO_MATCH', {
    message: `cannot write the version into ${file}`,
    why,
    fix: `Correct the rule; \`find: ${find}\` is a regular expression`,
    where: { file: 'bevelstone.yaml' },
  });
}

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
