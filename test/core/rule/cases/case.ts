import type { Artifact } from '../../../../src/core/form/artifact.ts';
import type { RuleId } from '../../../../src/core/name/rule.ts';
import type { RuleSettings } from '../../../../src/core/rule/rule.ts';

/** An artifact that a rule must find, and what the message says. */
export type BreakingCase = [RuleId, Artifact, RegExp, Partial<RuleSettings>?];

/** An artifact that is close to it and in which the rule must find nothing. */
export type NearlyCase = [RuleId, Artifact, Partial<RuleSettings>?];
