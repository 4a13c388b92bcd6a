/** The names of the rules: published, never renamed, never reused. Each is a file of this folder. */
export const ruleIds = [
  'archive/unsafe-path',
  'archive/duplicate-path',
  'contents/required-file',
  'contents/forbidden-file',
  'contents/secret',
  'contents/too-large',
  'metadata/description-missing',
  'metadata/readme-missing',
  'metadata/licence-invalid',
  'metadata/version-disagrees',
  'node/entry-point-missing',
  'node/install-script',
] as const;

/** The name of a rule. */
export type RuleId = (typeof ruleIds)[number];
