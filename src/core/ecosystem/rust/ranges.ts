import semver from 'semver';
import type { RangeRules } from '../definition.ts';

/** Requirements of a Cargo.toml: one without operator is a caret (The Cargo Book, "Specifying Dependencies"); none takes the last release only. */
export const cargoRanges: RangeRules = { takes: cargoTakes, raise: raiseCargo, isWorkspaceRange: () => false };

function cargoTakes(range: string, last: string | null, version: string): boolean {
  if (range === '') return version === last;
  const parts = range.split(',').map((part) => part.trim());
  return semver.satisfies(version, parts.map((part) => (/^\d/.test(part) ? `^${part}` : part)).join(' '));
}

function raiseCargo(range: string, version: string): string {
  const operator = /^\s*([\^~=]|>=)?\s*\d/.exec(range)?.[1] ?? '';
  return range.includes(',') ? version : `${operator}${version}`;
}
