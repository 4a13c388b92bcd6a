import path from 'node:path';
import { destinationsOf } from '../../core/config/config.ts';
import { severities } from '../../core/name/rule.ts';
import { keptForms } from '../../core/plan/delivery-plan.ts';
import type { CardFinding, CardRelease, ReleaseCard } from '../../core/record/release-card.ts';
import type { Opened } from '../../core/record/run-data.ts';
import type { Finding } from '../../core/rule/rule.ts';
import { summariseCheck } from '../../core/surface/check.ts';
import { git } from '../../world/git/run-git.ts';
import type { Verification } from '../artifact/verify.ts';
import { type Context, warn } from '../context.ts';
import type { Shipment } from '../deliver/deliver.ts';
import type { ReleaseFolder } from '../release-folder/built-release.ts';
import { notesOf, readIntro } from '../survey/notes.ts';
import type { Survey } from '../survey/survey.ts';
import type { Rehearsal } from '../trial/rehearse.ts';

/** What a card tells of. */
export type CardInput = {
  readonly context: Context;
  readonly survey: Survey;
  readonly opened: Opened;
  readonly releases: readonly ReleaseFolder[];
  readonly shipments: readonly Shipment[];
  readonly verification: Verification;
  readonly rehearsal: Rehearsal | null;
  readonly makesTags: boolean;
  /** What the gates could not test. */
  readonly untested: readonly string[];
};

/** Puts together what is about to happen. */
export async function makeCard(input: CardInput): Promise<ReleaseCard> {
  const { survey, opened, releases, shipments, makesTags } = input;
  const { workspace } = survey;
  const [first] = releases;
  const commit = first?.record.commit ?? survey.commit;
  const releasing = new Set(releases.map(({ record }) => record.package));
  const tags = makesTags ? releases.map(({ record }) => record.tag) : [];
  const { config } = workspace;
  const isMoved = commit !== opened.source;
  return {
    commit,
    source: opened.source,
    branch: survey.branch,
    stream: survey.stream.name,
    remote: opened.remote,
    writes: isMoved ? await changedFiles(input, commit) : [],
    pushes: [...(makesTags && survey.branch !== null ? [survey.branch] : []), ...tags, 'the ledger'],
    releases: await Promise.all(releases.map((release) => cardRelease(input, release))),
    resting: survey.packages.map(({ name }) => name).filter((name) => !releasing.has(name)),
    destinations: [
      ...new Map(shipments.map(({ destination: { name, url } }) => [name, { name, url }] as const)).values(),
    ],
    unsent: unsentTexts(input),
    untested: input.untested,
    opted: [
      ...(config.gates.clean ? [] : ['uncommitted files are allowed']),
      ...(config.gates['in-step'] ? [] : ['a remote that is ahead is allowed']),
      ...(config.gates.run.length > 0 && config.gates['run-in'] === 'working-folder'
        ? ['tests run in the working folder, not in a fresh checkout']
        : []),
    ],
  };
}

/** Artifacts of releases with destinations that go to none of them. */
function unsentTexts({ context, survey, releases, shipments }: CardInput): string[] {
  const sent = new Set(shipments.flatMap(({ deliveries }) => deliveries.map(({ artifact }) => artifact)));
  const texts = releases.flatMap(({ record }) => {
    const config = survey.workspace.config.packages[record.package];
    if (config === undefined || destinationsOf(config).length === 0) return [];
    const kept = keptForms(config);
    return record.artifacts
      .filter((artifact) => !sent.has(artifact) && !kept.has(artifact.form))
      .map(({ file, form }) => `${file}: no destination takes the form ${form}`);
  });
  for (const text of texts)
    warn(context, `${text}; \`deliver: false\` in its entry of \`artifacts\` says that this is meant`);
  return texts;
}

async function changedFiles({ survey, opened }: CardInput, commit: string): Promise<string[]> {
  const { place } = survey.workspace.repository;
  const { text } = await git(place, ['diff-tree', '-r', '-z', '--name-only', opened.source, commit]);
  return text.split('\0').filter(Boolean);
}

async function cardRelease(
  { context, survey, opened, shipments, verification, rehearsal }: CardInput,
  { record }: ReleaseFolder,
): Promise<CardRelease> {
  const surveyed = survey.packages.find(({ name }) => name === record.package);
  if (surveyed === undefined) throw new Error(`${record.package} was not surveyed`);
  const own = shipments.filter(({ release }) => release.record.package === record.package);
  const intro = await readIntro(context, { ...survey, commit: opened.source }, surveyed);
  const notes = notesOf(survey, surveyed, {
    at: new Date(record.sourceTime * 1000),
    intro,
    contributors: false,
    range: '',
  });
  const files = new Set(record.artifacts.map(({ file }) => file));
  const findings = verification.artifacts
    .map((artifact) => ({ ...artifact, name: path.basename(artifact.file) }))
    .filter(({ name }) => files.has(name))
    .flatMap((artifact) => artifact.findings.map((finding) => cardFinding(artifact.name, finding)));
  const steps = rehearsal?.releases.find((release) => release.package === record.package)?.steps ?? [];
  return {
    package: record.package,
    last: record.last,
    version: record.version,
    weight: record.weight,
    reasons: record.reasons,
    tag: record.tag,
    notes: { ...notes, version: record.version },
    artifacts: [...record.artifacts, ...record.sboms].map((artifact) => ({
      file: artifact.file,
      form: artifact.form,
      platform: artifact.platform,
      sizeBytes: artifact.size,
      sha256: artifact.sha256,
      ...(artifact.partial === undefined ? {} : { partial: artifact.partial }),
      to: own.flatMap(({ destination, deliveries }) =>
        deliveries.some((delivery) => delivery.artifact.file === artifact.file) ? [destination.name] : [],
      ),
    })),
    findings: findings.sort((a, b) => severities.indexOf(a.severity) - severities.indexOf(b.severity)),
    rehearsed: steps.map(
      ({ client, version, state, why }) =>
        `${client}${version === '' ? '' : ` ${version}`}: ${state === 'not-here' ? `not rehearsed, ${(why ?? 'it is not here').replace(/^not rehearsed: /, '')}` : state}`,
    ),
    surface: verification.surfaces.filter((check) => check.package === record.package).map(summariseCheck),
    without: record.pending.map(({ form, platform }) => `${form} for ${platform}`),
  };
}

function cardFinding(artifact: string, { severity, rule, path: inside, message }: Finding): CardFinding {
  return { severity, rule, artifact, path: inside, message };
}
