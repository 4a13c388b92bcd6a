import { createHash } from 'node:crypto';
import type { ReleaseNotes } from '../changelog/section.ts';
import type { Form } from '../name/form.ts';
import type { Severity } from '../name/rule.ts';
import type { SurfaceSummary } from '../surface/check.ts';
import type { Weight } from '../version/weight.ts';
import type { PartialSummary } from './release-record.ts';

/** One artifact on the card. */
export type CardArtifact = {
  readonly file: string;
  readonly form: Form;
  readonly platform: string | null;
  readonly sizeBytes: number;
  readonly sha256: string;
  /** What a partial artifact has; left out for a whole one. */
  readonly partial?: PartialSummary;
  /** Destinations that it goes to. */
  readonly to: readonly string[];
};

/** One finding of a rule, on the card. */
export type CardFinding = {
  readonly severity: Severity;
  readonly rule: string;
  readonly artifact: string;
  /** Path inside the artifact; null when it is about all of it. */
  readonly path: string | null;
  readonly message: string;
};

/** One release on the card. */
export type CardRelease = {
  readonly package: string;
  readonly last: string | null;
  readonly version: string;
  readonly weight: Weight;
  readonly reasons: readonly string[];
  readonly tag: string;
  readonly notes: ReleaseNotes;
  readonly artifacts: readonly CardArtifact[];
  /** What the rules found in its artifacts, the gravest first. */
  readonly findings: readonly CardFinding[];
  /** What a rehearsal did, as `npm 11: installed`; empty where there was none. */
  readonly rehearsed: readonly string[];
  /** How the public surface of its artifacts compares with the last release; missing in cards of older programs. */
  readonly surface?: readonly SurfaceSummary[];
  /** Artifacts of platforms that are left out on purpose. */
  readonly without: readonly string[];
};

/** All that is about to happen: what a person agrees to. */
export type ReleaseCard = {
  readonly commit: string;
  readonly source: string;
  readonly branch: string | null;
  readonly stream: string;
  readonly remote: string | null;
  /** Files that the release's commit changes; empty without one. */
  readonly writes: readonly string[];
  readonly pushes: readonly string[];
  readonly releases: readonly CardRelease[];
  /** Packages with nothing to release. */
  readonly resting: readonly string[];
  readonly destinations: readonly { readonly name: string; readonly url: string }[];
  /** What probes could not test, such as `write permission at office`. */
  readonly untested: readonly string[];
  /** Artifacts that no destination takes, though nothing says that they are only built. */
  readonly unsent: readonly string[];
  /** Gates that were opened on purpose. */
  readonly opted: readonly string[];
};

/** A finding as one sentence: `warning in tides.tgz, src/a.js: …`. */
export function findingText({ severity, rule, artifact, path, message }: CardFinding): string {
  const word = severity === 'refuse' ? 'refused' : severity === 'warn' ? 'warning' : severity;
  // An artifact of one file has no other path.
  const place = path === null || path === artifact ? artifact : `${artifact}, ${path}`;
  return `${word} in ${place}: ${message} (${rule})`;
}

/** What is agreed to: two cards with one digest announce the same. In hexadecimal. */
export function cardDigest(card: ReleaseCard): string {
  return createHash('sha256').update(JSON.stringify(card)).digest('hex');
}
