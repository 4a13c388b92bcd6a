import { duplicatePath } from './archive/duplicate-path.ts';
import { unsafePath } from './archive/unsafe-path.ts';
import { forbiddenFile } from './contents/forbidden-file.ts';
import { requiredFile } from './contents/required-file.ts';
import { secret } from './contents/secret.ts';
import { tooLarge } from './contents/too-large.ts';
import { descriptionMissing } from './metadata/description-missing.ts';
import { licenceInvalid } from './metadata/licence-invalid.ts';
import { readmeMissing } from './metadata/readme-missing.ts';
import { versionDisagrees } from './metadata/version-disagrees.ts';
import { entryPointMissing } from './node/entry-point-missing.ts';
import { installScript } from './node/install-script.ts';
import type { Artifact, Finding, Rule, RuleSettings } from './rule.ts';
import type { RuleId } from './rule-id.ts';

/** All rules, by theme. */
export const rules: Readonly<Record<RuleId, Rule>> = {
  'archive/unsafe-path': unsafePath,
  'archive/duplicate-path': duplicatePath,
  'contents/required-file': requiredFile,
  'contents/forbidden-file': forbiddenFile,
  'contents/secret': secret,
  'contents/too-large': tooLarge,
  'metadata/description-missing': descriptionMissing,
  'metadata/readme-missing': readmeMissing,
  'metadata/licence-invalid': licenceInvalid,
  'metadata/version-disagrees': versionDisagrees,
  'node/entry-point-missing': entryPointMissing,
  'node/install-script': installScript,
};

/** Runs every rule that is not switched off. Findings come in the order of the rules. */
export function checkArtifact(artifact: Artifact, settings: RuleSettings): Finding[] {
  return Object.values(rules).flatMap((rule) => {
    const severity = settings.severities[rule.id] ?? rule.severity;
    if (severity === 'off') return [];
    return rule
      .check(artifact, settings)
      .map(({ path, message, fix }) => ({ rule: rule.id, severity, path, message, fix: fix ?? rule.fix }));
  });
}
