import { judgeLicence } from '../../licence/policy.ts';
import { allForms } from '../forms.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const licencePolicy: Rule = {
  id: 'metadata/licence-policy',
  forms: allForms,
  severity: 'refuse',
  what: 'Every dependency has a licence that `verify.licences` allows',
  why: 'What you ship binds your users to the licences of all that comes along',
  fix: 'Replace the dependency, or change `verify.licences` when the licence is fine',
  example: 'refuse: ["AGPL-*"] and a dependency under AGPL-3.0-only',
  check: (_artifact, { components, licences }) => {
    if (components === null || licences === null) return [];
    return components.flatMap(({ name, version, licence }): RawFinding[] => {
      const verdict = judgeLicence(licence, licences);
      const who = `${name} ${version}`.trim();
      if (verdict === 'refuse')
        return [{ path: null, message: `${who} is under ${licence}, which the policy refuses` }];
      if (verdict === 'ask')
        return [{ path: null, message: `${who} is under ${licence}, which somebody has to look at`, severity: 'warn' }];
      if (verdict === 'unknown')
        return [{ path: null, message: `nothing says which licence ${who} is under`, severity: 'warn' }];
      return [];
    });
  },
};
