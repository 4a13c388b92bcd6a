import type { ExceptionConfig, LicencePolicyConfig, SeverityConfig } from '../config/config.ts';
import type { Entry } from '../contents/entry.ts';
import type { Artifact } from '../form/artifact.ts';
import type { Form } from '../name/form.ts';
import type { RuleId, Severity } from '../name/rule.ts';
import type { BrowserReach } from '../surface/browser-reach.ts';

/** What a rule found in one artifact. */
export type Finding = {
  readonly rule: RuleId;
  readonly severity: Severity;
  /** Path of the entry, null when it is about the whole artifact. */
  readonly path: string | null;
  readonly message: string;
  readonly fix: string;
  /** Why the configuration lets it pass; it counts as a note then. */
  readonly excepted: string | null;
};

/** A finding before the engine adds rule and severity. */
export type RawFinding = {
  readonly path: string | null;
  readonly message: string;
  readonly fix?: string;
  /** For one that matters less than others of its rule; a configured severity goes before it. */
  readonly severity?: 'warn' | 'note';
};

/** The release that an artifact was built for. */
export type RuleRelease = {
  readonly package: string;
  readonly version: string;
  readonly name: string;
  readonly tag: string;
  readonly commit: string;
  readonly platform: string | null;
};

/** The artifact of the same form in the release before. */
export type LastArtifact = { readonly version: string; readonly sizeBytes: number; readonly entries: readonly Entry[] };

/** A third-party dependency, for the licence policy. */
export type LicensedComponent = { readonly name: string; readonly version: string; readonly licence: string | null };

/** What is expected of the artifact: from the configuration, and from the release it belongs to. */
export type RuleSettings = {
  readonly require: readonly string[];
  readonly forbid: readonly string[];
  /** Bytes; null for no limit. */
  readonly largest: number | null;
  /** How many times the last release's size it may have; null for no limit. */
  readonly growth: number | null;
  /** The newest C library that may be needed, e.g. `2.31`; null for any. */
  readonly cLibrary: string | null;
  /** The oldest Java that classes must run on; null for what the manifest says. */
  readonly java: number | null;
  readonly severities: Readonly<Record<string, SeverityConfig>>;
  readonly exceptions: readonly ExceptionConfig[];
  readonly licences: LicencePolicyConfig | null;
  /** The version that the artifact must name, as its form writes it; null for a file from elsewhere. */
  readonly version: string | null;
  readonly release: RuleRelease | null;
  /** Names of the workspace's other packages. */
  readonly others: readonly string[];
  /** Forms of all artifacts of the release; null for a file from elsewhere. */
  readonly beside: readonly Form[] | null;
  readonly last: LastArtifact | null;
  /** Whether the artifact has only a part of its release. */
  readonly isPartial: boolean;
  /** Third-party dependencies; null when they were not searched for. */
  readonly components: readonly LicensedComponent[] | null;
  /** What is wrong with the lockfiles of the release's package, one sentence each. */
  readonly lockfiles: readonly string[];
  readonly browser: BrowserReach | null;
  /** Seconds since 1970. */
  readonly now: number;
};

/** One rule. */
export type Rule = {
  readonly id: RuleId;
  /** The forms of artifacts that it looks at. */
  readonly forms: readonly Form[];
  readonly severity: Severity;
  /** Whether it asks for something that only a whole artifact must have. */
  readonly needsWhole?: true;
  /** Whether an install shows more than the artifact alone: it is checked again there. */
  readonly needsInstall?: true;
  readonly what: string;
  /** Why it matters. */
  readonly why: string;
  readonly fix: string;
  readonly example: string;
  readonly check: (artifact: Artifact, settings: RuleSettings) => readonly RawFinding[];
};
