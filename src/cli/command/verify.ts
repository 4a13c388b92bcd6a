import type { Rule } from '../../core/rule/rule.ts';
import type { Verification } from '../../flow/verify.ts';
import { type Command, textList } from '../command.ts';
import { renderRule, renderRules, renderVerification, rulesJson, verificationJson } from '../view/verify.ts';

type Arguments = { readonly files: readonly string[]; readonly rules: boolean; readonly explain: string | null };

type Result =
  | { readonly type: 'verified'; readonly verification: Verification }
  | { readonly type: 'rules'; readonly rules: readonly Rule[] }
  | { readonly type: 'rule'; readonly rule: Rule };

/** `bevelstone verify [FILE…]`. */
export const verify: Command<Arguments, Result> = {
  options: (yargs) =>
    yargs
      .positional('files', {
        type: 'string',
        array: true,
        describe: 'Artifacts to check; without any, what was built for this commit',
      })
      .option('rules', { type: 'boolean', describe: 'List the rules' })
      .option('explain', { type: 'string', describe: 'Say what one rule is for' }),
  examples: [
    ['verify', 'Check what was built for this commit'],
    ['verify theirs.tgz', 'Check any artifact'],
    ['verify --explain contents/secret', 'What a rule wants, and why'],
  ],
  parse: (raw) => ({
    files: textList(raw, 'files'),
    rules: raw['rules'] === true,
    explain: (raw['explain'] as string | undefined) ?? null,
  }),
  run: async ({ files, rules, explain }, context) => {
    if (rules || explain !== null) {
      const { findRule, listRules } = await import('../../flow/rules.ts');
      if (explain !== null) return { result: { type: 'rule', rule: findRule(explain) } };
      return { result: { type: 'rules', rules: listRules() } };
    }
    const flow = await import('../../flow/verify.ts');
    const verification = await flow.verify(context, files);
    return { result: { type: 'verified', verification }, error: flow.refusal(verification) };
  },
  render: (result, screen) => {
    if (result.type === 'rules') return renderRules(result.rules, screen);
    return result.type === 'rule' ? renderRule(result.rule, screen) : renderVerification(result.verification, screen);
  },
  toJson: (result) => {
    if (result.type === 'rules') return rulesJson(result.rules);
    return result.type === 'rule'
      ? { rule: { ...result.rule, check: undefined } }
      : verificationJson(result.verification);
  },
};
