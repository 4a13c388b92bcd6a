import type { Rule } from '../../core/rule/rule.ts';
import type { Verification } from '../../flow/artifact/verify.ts';
import type { GitVerification } from '../../flow/trial/git/verify-git.ts';
import { type Command, optionalText, textList } from '../command.ts';
import { renderPages, renderRule, renderRules, renderVerification, rulesJson } from '../view/verify.ts';
import { renderGitVerification } from '../view/verify-git.ts';

type Arguments = {
  readonly files: readonly string[];
  readonly rules: boolean;
  readonly explain: string | null;
  readonly page: boolean;
  readonly sarif: string | null;
  /** A tag, or '' for the newest of each package; null where git is not asked about. */
  readonly git: string | null;
};

type Result =
  | { readonly type: 'verified'; readonly verification: Verification }
  | { readonly type: 'git'; readonly git: GitVerification }
  | { readonly type: 'pages'; readonly pages: readonly { readonly file: string; readonly text: string }[] }
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
      .option('explain', { type: 'string', describe: 'Explain one rule' })
      .option('page', { type: 'boolean', describe: 'Print what an index page would show' })
      .option('git', {
        type: 'string',
        describe:
          'Try what clients get from git, an archive and a registry: of this tag, or of the newest of each package',
      })
      .option('sarif', { type: 'string', describe: 'Write the findings to a file as SARIF 2.1.0' }),
  examples: [
    ['verify', 'Check what was built for this commit'],
    ['verify theirs.tgz other.whl', 'Check any artifacts'],
    ['verify --page', "Preview the packages' index pages"],
    ['verify --git tidemark/1.4.0', 'Install one tag from git with the clients that can do it'],
    ['verify --explain contents/secret', 'What a rule requires, and why'],
  ],
  parse: (raw) => ({
    files: textList(raw, 'files'),
    rules: raw['rules'] === true,
    explain: optionalText(raw, 'explain'),
    page: raw['page'] === true,
    sarif: optionalText(raw, 'sarif'),
    git: optionalText(raw, 'git'),
  }),
  run: async ({ files, rules, explain, page, sarif, git }, context) => {
    if (git !== null) {
      const { verifyGit } = await import('../../flow/trial/git/verify-git.ts');
      return { result: { type: 'git', git: await verifyGit(context, git === '' ? null : git) } };
    }
    if (rules || explain !== null) {
      const { findRule, listRules } = await import('../../flow/artifact/rules.ts');
      if (explain !== null) return { result: { type: 'rule', rule: findRule(explain) } };
      return { result: { type: 'rules', rules: listRules() } };
    }
    const flow = await import('../../flow/artifact/verify.ts');
    if (page) return { result: { type: 'pages', pages: await flow.pagesOf(context, files) } };
    const verification = await flow.verify(context, files);
    if (sarif !== null) await flow.writeSarif(context, verification, sarif);
    return { result: { type: 'verified', verification }, error: flow.refusal(verification) };
  },
  render: (result, screen, { sarif }) => {
    if (result.type === 'rules') return renderRules(result.rules, screen);
    if (result.type === 'pages') return renderPages(result.pages, screen);
    if (result.type === 'git') return renderGitVerification(result.git, screen);
    return result.type === 'rule'
      ? renderRule(result.rule, screen)
      : renderVerification(result.verification, screen, sarif);
  },
  toJson: (result) => {
    if (result.type === 'rules') return rulesJson(result.rules);
    if (result.type === 'git') return { git: result.git };
    if (result.type === 'pages')
      return { page: result.pages.map(({ text }) => text).join('\n\n'), pages: result.pages };
    return result.type === 'rule' ? { rule: { ...result.rule, check: undefined } } : result.verification;
  },
};
