import parseLicence from 'spdx-expression-parse';
import type { LicencePolicyConfig } from '../config/config.ts';
import { globMatcher } from '../text/glob.ts';

/** What a policy says of a licence. */
export type Verdict = 'allow' | 'refuse' | 'ask' | 'unknown';

/**
 * Judges a licence by a policy. Of `A OR B` the better counts, of `A AND B` the worse; what no list names is asked about as
 * soon as there is a list of what is allowed.
 * @param licence an SPDX expression, or what a manifest says; null when unknown.
 */
export function judgeLicence(licence: string | null, policy: LicencePolicyConfig): Verdict {
  if (licence === null) return 'unknown';
  try {
    return judge(parseLicence(licence), policy);
  } catch {
    return judgeOne(licence, policy);
  }
}

const worst: readonly Verdict[] = ['allow', 'unknown', 'ask', 'refuse'];

type Parsed = ReturnType<typeof parseLicence>;

function judge(node: Parsed, policy: LicencePolicyConfig): Verdict {
  if ('conjunction' in node) {
    const [left, right] = [judge(node.left, policy), judge(node.right, policy)].map((verdict) =>
      worst.indexOf(verdict),
    );
    const picked = node.conjunction === 'or' ? Math.min(left ?? 0, right ?? 0) : Math.max(left ?? 0, right ?? 0);
    return worst[picked] ?? 'ask';
  }
  const plus = 'plus' in node && node.plus === true ? '+' : '';
  const exception = 'exception' in node && node.exception !== undefined ? ` WITH ${node.exception}` : '';
  return judgeOne(`${'license' in node ? node.license : ''}${plus}${exception}`, policy);
}

function judgeOne(id: string, { allow, refuse, ask }: LicencePolicyConfig): Verdict {
  const isIn = (list: readonly string[]) => list.some((glob) => globMatcher([glob], { nocase: true, bash: true })(id));
  if (isIn(refuse)) return 'refuse';
  if (isIn(ask)) return 'ask';
  if (isIn(allow)) return 'allow';
  return allow.length > 0 ? 'ask' : 'allow';
}
