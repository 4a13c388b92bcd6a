import type { SeverityConfig } from '../config/config.ts';
import type { Entry } from '../contents/entry.ts';
import type { InnerManifest } from '../describe/description.ts';
import type { RuleId } from './rule-id.ts';

/** How much a finding matters: `refuse` keeps the artifact from being uploaded. */
export type Severity = 'refuse' | 'warn' | 'note';

/** What a rule found in one artifact. */
export type Finding = {
  readonly rule: RuleId;
  readonly severity: Severity;
  /** Path of the entry, null when it is about the whole artifact. */
  readonly path: string | null;
  readonly message: string;
  readonly fix: string;
};

/** A finding before the engine adds rule and severity. */
export type RawFinding = { readonly path: string | null; readonly message: string; readonly fix?: string };

/** An artifact as the rules see it. All of it comes from the file itself. */
export type Artifact = {
  readonly fileName: string;
  readonly form: string;
  readonly sizeBytes: number;
  readonly entries: readonly Entry[];
  /** The one folder that everything is in, with `/` behind; '' when there is none. */
  readonly prefix: string;
  /** The manifest inside, as its format has it, and its path; null when the form has none. */
  readonly manifest: InnerManifest | null;
  /** What a page about the package shows. */
  readonly readme: { readonly path: string; readonly text: string } | null;
  /** What looked like secrets while the bytes went by. */
  readonly secrets: readonly { readonly path: string; readonly what: string; readonly line: number }[];
};

/** What is expected of the artifact: from the configuration, and from the release it belongs to. */
export type RuleSettings = {
  readonly require: readonly string[];
  readonly forbid: readonly string[];
  readonly largest: number | null;
  readonly severities: Readonly<Record<string, SeverityConfig>>;
  /** The version that the artifact must name, as its form writes it; null for a file from elsewhere. */
  readonly version: string | null;
};

/** One rule. */
export type Rule = {
  readonly id: RuleId;
  readonly severity: Severity;
  readonly what: string;
  /** Why it matters. */
  readonly why: string;
  readonly fix: string;
  readonly example: string;
  readonly check: (artifact: Artifact, settings: RuleSettings) => readonly RawFinding[];
};

/** Forms that an index shows a page of: with a description, a licence field and a readme. */
export const formsWithPage: ReadonlySet<string> = new Set(['npm-tarball', 'wheel', 'sdist', 'nupkg']);

/** Paths of entries without the artifact's own top folder. */
export function insidePaths({ entries, prefix }: Artifact): string[] {
  return entries.map(({ path }) => (path.startsWith(prefix) ? path.slice(prefix.length) : path));
}
