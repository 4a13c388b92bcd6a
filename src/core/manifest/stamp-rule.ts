import type { StampConfig } from '../config/config.ts';
import { BevelstoneError } from '../error/bevelstone-error.ts';
import { compilePattern } from '../text/linear-pattern.ts';
import { coreOf } from '../version/version.ts';

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
