import type { Rule } from '../rule.ts';

export const directReference: Rule = {
  id: 'python/direct-reference',
  forms: ['wheel', 'sdist'],
  severity: 'refuse',
  what: 'Requirements name versions, not addresses',
  why: 'An index rejects a requirement with an address, and installers fetch it around the index',
  fix: 'Release the other project, and require a version of it',
  example: 'Requires-Dist: harmonics @ https://files.example/harmonics.whl',
  check: ({ manifest }) =>
    requirementsOf(manifest?.json['Requires-Dist'])
      .filter((text) => /^\s*[\w.-]+\s*(?:\[[^\]]*\])?\s*@/.test(text))
      .map((text) => ({ path: manifest?.path ?? null, message: `it requires "${text}", an address` })),
};

/** The values of a field that may stand there once or several times. */
export function requirementsOf(value: unknown): string[] {
  return [value].flat().filter((item) => typeof item === 'string');
}
