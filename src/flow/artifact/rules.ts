import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { Rule } from '../../core/rule/rule.ts';
import { rules } from '../../core/rule/rules.ts';
import { nearest } from '../../core/text/nearest.ts';

/** All rules in the order of their themes. */
export function listRules(): Rule[] {
  return Object.values(rules);
}

/** @throws RULE_NOT_FOUND with the nearest name. */
export function findRule(id: string): Rule {
  const found = listRules().find((rule) => rule.id === id);
  if (found !== undefined) return found;
  const near = nearest(id, Object.keys(rules));
  throw new BevelstoneError('RULE_NOT_FOUND', {
    message: `unknown rule "${id}"`,
    why: 'rule names have the form THEME/NAME',
    fix: near === null ? 'List them with: bevelstone verify --rules' : `Did you mean "${near}"?`,
  });
}
