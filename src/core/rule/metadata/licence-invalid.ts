import parseLicence from 'spdx-expression-parse';
import { formsWithPage, type Rule } from '../rule.ts';

export const licenceInvalid: Rule = {
  id: 'metadata/licence-invalid',
  severity: 'refuse',
  what: 'The licence is a valid SPDX expression',
  why: 'Companies let tools decide by this field what may be installed; what they cannot read they refuse',
  fix: 'Write an identifier of the SPDX licence list, such as MIT or "MIT OR Apache-2.0"',
  example: '"license": "Apache 2"',
  check: ({ form, manifest }) => {
    if (manifest === null || !formsWithPage.has(form)) return [];
    const { path, common } = manifest;
    if (common.licence === null) return [{ path, message: 'it names no licence' }];
    // The npm client's documented ways to say "none" and "see that file".
    if (common.licence === 'UNLICENSED' || /^SEE LICEN[CS]E IN \S/.test(common.licence)) return [];
    try {
      parseLicence(common.licence);
      return [];
    } catch {
      return [{ path, message: `"${common.licence}" is no SPDX licence expression` }];
    }
  },
};
