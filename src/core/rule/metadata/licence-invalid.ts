import parseLicence from 'spdx-expression-parse';
import { objectOf } from '../../manifest/fields.ts';
import { formsWithPage, type RawFinding, type Rule } from '../rule.ts';

export const licenceInvalid: Rule = {
  id: 'metadata/licence-invalid',
  severity: 'refuse',
  what: 'The licence is a valid SPDX expression',
  why: 'Companies let tools decide by this field what may be installed; what they cannot read they refuse',
  fix: 'Write an identifier of the SPDX licence list, such as MIT or "MIT OR Apache-2.0"',
  example: '"license": "Apache 2"',
  check: ({ form, manifest }): RawFinding[] => {
    if (manifest === null || !formsWithPage.has(form)) return [];
    const { path, common, json } = manifest;
    if (common.licence === null) return whenMissing(form, json, path);
    // The npm client's documented ways to say "none" and "see that file".
    if (common.licence === 'UNLICENSED' || /^SEE LICEN[CS]E IN \S/.test(common.licence)) return [];
    try {
      parseLicence(common.licence);
      return [];
    } catch {
      const shown = common.licence.split('\n')[0]?.slice(0, 80) ?? '';
      const message = `"${shown}" is no SPDX licence expression`;
      // The field `License` of older metadata is free text (PEP 639 replaces it by License-Expression).
      const isFreeText = (form === 'wheel' || form === 'sdist') && json['License-Expression'] === undefined;
      return [{ path, message, ...(isFreeText ? { severity: 'warn' as const } : {}) }];
    }
  },
};

function whenMissing(form: string, json: Readonly<Record<string, unknown>>, path: string): RawFinding[] {
  const old = { path, message: 'the licence is given in an old form that few read', severity: 'warn' as const };
  if (form === 'npm-tarball' && (Array.isArray(json['licenses']) || typeof json['license'] === 'object')) return [old];
  // A file or an address instead of an expression.
  if (form === 'nupkg' && (objectOf(json['license'])['@type'] === 'file' || json['licenseUrl'] !== undefined))
    return [old];
  if ([json['Classifier'] ?? []].flat().some((one) => String(one).startsWith('License ::'))) return [old];
  return [{ path, message: 'it names no licence' }];
}
