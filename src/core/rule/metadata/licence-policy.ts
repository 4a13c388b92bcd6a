import { judgeLicence } from '../../licence/policy.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const licencePolicy: Rule = {
  id: 'metadata/licence-policy',
  forms: allForms,
  severity: 'refuse',
  needsInstall: true,
  what: 'Every dependency has a licence that `verify.licences` allows',
  why: 'The licences of everything you ship apply to your users',
  fix: 'Replace the dependency, or allow its licence in `verify.licences`',
  example: 'refuse: ["AGPL-*"] and a dependency under AGPL-3.0-only',
  check: (_artifact, { components, licences }) => {
    if (components === null || licences === null) return [];
    return components.flatMap(({ name, version, licence }): RawFinding[] => {
      const verdict = judgeLicence(licence, licences);
      const who = `${name} ${version}`.trim();
      if (verdict === 'refuse')
        return [{ path: null, message: `${who} has the licence ${licence}, which is refused by \`verify.licences\`` }];
      if (verdict === 'ask')
        return [{ path: null, message: `${who} has the licence ${licence}, which must be reviewed`, severity: 'warn' }];
      if (verdict === 'unknown') return [{ path: null, message: `the licence of ${who} is unknown`, severity: 'warn' }];
      return [];
    });
  },
};
