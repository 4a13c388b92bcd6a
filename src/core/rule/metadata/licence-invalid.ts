import parseLicence from 'spdx-expression-parse';
import { formDefinitions } from '../../form/definitions.ts';
import { shownText } from '../../manifest/fields.ts';
import { formsWithPage } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const licenceInvalid: Rule = {
  id: 'metadata/licence-invalid',
  forms: formsWithPage,
  severity: 'refuse',
  what: 'The licence is a valid SPDX expression',
  why: 'Companies use tools that read this field to decide what may be installed; they refuse values that they cannot read',
  fix: 'Write an identifier of the SPDX licence list, such as MIT or "MIT OR Apache-2.0"',
  example: '"license": "Apache 2"',
  check: ({ form, manifest }): RawFinding[] => {
    if (manifest === null) return [];
    const { path, common, json } = manifest;
    const { isFreeLicence, hasOldLicence } = formDefinitions[form].metadata;
    if (common.licence === null) return whenMissing(hasOldLicence(json), json, path);
    // The npm client's documented ways to say "none" and "see that file".
    if (common.licence === 'UNLICENSED' || /^SEE LICEN[CS]E IN \S/.test(common.licence)) return [];
    try {
      parseLicence(common.licence);
      return [];
    } catch {
      const shown = common.licence.split('\n')[0]?.slice(0, 80) ?? '';
      const message = `"${shown}" is no SPDX licence expression`;
      return [{ path, message, ...(isFreeLicence(json) ? { severity: 'warn' as const } : {}) }];
    }
  },
};

function whenMissing(isOld: boolean, json: Readonly<Record<string, unknown>>, path: string): RawFinding[] {
  const old = { path, message: 'the licence uses an obsolete format', severity: 'warn' as const };
  if (isOld) return [old];
  if ([json['Classifier'] ?? []].flat().some((item) => shownText(item).startsWith('License ::'))) return [old];
  return [{ path, message: 'it has no licence' }];
}
