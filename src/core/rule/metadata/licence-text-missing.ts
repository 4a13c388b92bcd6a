import parseLicence from 'spdx-expression-parse';
import { insidePath } from '../../form/artifact.ts';
import { formsWithPage } from '../forms.ts';
import type { Rule } from '../rule.ts';

const names = /(?:^|\/)(?:licen[cs]e|copying|unlicense|notice|copyright)[^/]*$|\/licen[cs]es\//i;

export const licenceTextMissing: Rule = {
  id: 'metadata/licence-text-missing',
  forms: formsWithPage,
  severity: 'warn',
  what: 'The licence text is included',
  why: 'Most licences require their text in every copy; without it the package may not be redistributed',
  fix: 'Add a LICENSE file next to the manifest and include it',
  example: '"license": "MIT" and no LICENSE inside',
  check: ({ entries, manifest, prefix }) => {
    const licence = manifest?.common.licence ?? null;
    if (licence === null || licence === 'UNLICENSED') return [];
    const isThere = entries.some(({ path, sizeBytes }) => sizeBytes > 0 && names.test(insidePath(path, prefix)));
    if (isThere) return [];
    // Dedications to the public ask for nothing.
    if (isDedication(licence)) return [];
    return [{ path: null, message: `the licence is ${licence.slice(0, 80)}, but no file contains its text` }];
  },
};

function isDedication(licence: string): boolean {
  try {
    const parsed = parseLicence(licence);
    return 'license' in parsed && ['0BSD', 'CC0-1.0', 'Unlicense', 'MIT-0', 'WTFPL'].includes(parsed.license);
  } catch {
    return false;
  }
}
