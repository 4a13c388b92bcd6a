import type { ReleasedCommits } from '../../core/history/cancellation.ts';
import { findLastRelease, type LastRelease } from '../../core/history/last-release.ts';
import { Amendments, type MeaningRules, readMeaning } from '../../core/history/meaning.ts';
import { packagesByPath } from '../../core/history/touch.ts';
import type { Walk } from '../../core/history/walk.ts';
import { writeBackTest } from '../../core/plan/write-back-paths.ts';
import type { Stream } from '../../core/version/stream.ts';
import type { VersionTag } from '../../core/version/tag-pattern.ts';
import type { Weight } from '../../core/version/weight.ts';
import { readCommits } from '../../world/git/read-history.ts';
import { ancestorsAmong, commonAncestor, findCommits } from '../../world/git/read-objects.ts';
import { mergedTags } from '../../world/git/read-tags.ts';
import type { Repository } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import type { Workspace } from '../workspace/workspace.ts';
import { readWalk } from './remembered-history.ts';

/** What is known of one package's releases. */
export type KnownRelease = LastRelease & { type: 'known' };

/** The surveyed commit, and one behind which nothing counts for anyone. */
export type Range = { readonly commit: string; readonly end: string | null };

/** Asks git about the highest tags of all packages at once, then about the next ones, until each package is settled. */
export async function lastReleases({
  repository,
  commit,
  stream,
  byOwner,
}: {
  readonly repository: Repository;
  readonly commit: string;
  readonly stream: Stream;
  readonly byOwner: readonly (readonly VersionTag[])[];
}): Promise<KnownRelease[]> {
  const known = new Map<string, boolean>();
  for (;;) {
    const found = byOwner.map((tags) => findLastRelease(tags, stream, known));
    const open = new Set(found.flatMap((lastRelease) => (lastRelease.type === 'ask' ? lastRelease.tags : [])));
    if (open.size === 0) return found.filter((lastRelease) => lastRelease.type === 'known');
    const merged = await mergedTags(repository.place, commit, [...open]);
    for (const tag of open) known.set(tag, merged.has(tag));
  }
}

/** Reads the history back to its end, commit by commit. @param build names the program to the byte; null where that is not known. */
export async function walkHistory({
  repository,
  range: { commit, end },
  workspace: { config, packages },
  keepOthers,
  build,
}: {
  readonly repository: Repository;
  readonly range: Range;
  readonly workspace: Workspace;
  readonly keepOthers: boolean;
  readonly build: string | null;
}): Promise<{ walk: Walk; amendments: Amendments; rules: MeaningRules }> {
  const { history } = config;
  const rules: MeaningRules = {
    weights: history.weights,
    patterns: await compileAll(history.patterns),
    unmarkedWeight: history.unmarked === 'patch' ? 'patch' : 'none',
  };
  const amendments = new Amendments(history.amend);
  const owners = packagesByPath(packages.map(({ folder, config: { also } }) => ({ folder, also })));
  const walking = { owners, isWriteBackPath: writeBackTest(packages, config), meaning: rules, amendments, keepOthers };
  const facts = [config, packages.map(({ folder, ecosystem, manifestPath }) => [folder, ecosystem, manifestPath])];
  const walk = await readWalk({ repository, commit, end, rules: walking, build, facts });
  return { walk, amendments, rules };
}

/** A commit that every package's last release holds: nothing behind it counts for anyone. */
export async function walkEnd(repository: Repository, releases: readonly KnownRelease[]): Promise<string | null> {
  const lasts = releases.map(({ last }) => last?.commit ?? null);
  if (lasts.length === 0 || lasts.includes(null)) return null;
  return commonAncestor(
    repository.place,
    lasts.filter((id) => id !== null),
  );
}

/** Asks git what the ids are that messages name and the walk does not hold. */
export async function askReferences({
  repository,
  walk,
  range: { commit, end },
  rules,
}: {
  readonly repository: Repository;
  readonly walk: Walk;
  readonly range: Range;
  readonly rules: MeaningRules;
}): Promise<ReleasedCommits> {
  const open = walk.openReferences();
  if (open.length === 0 || end === null) return new Map();
  const found = await findCommits(repository.place, open);
  const held = await ancestorsAmong(repository.place, [...new Set(found.values())], commit);
  const meanings = new Map<string, { weight: Weight }>();
  if (held.size > 0) {
    for await (const batch of readCommits(repository.place, [...held])) {
      for (const commit of batch) {
        const isMerge = commit.parents.length > 1;
        // What a merge brought in would take another walk to weigh; a feature is the careful guess.
        meanings.set(commit.id, { weight: isMerge ? 'minor' : readMeaning(commit, rules, null).weight });
      }
    }
  }
  return new Map(
    [...found].flatMap(([name, id]) => {
      const meaning = meanings.get(id);
      return meaning === undefined ? [] : [[name, meaning] as const];
    }),
  );
}

/** Says which amendments name nothing; those of commits that are released already are found by git. */
export async function noteUnknownAmendments(
  context: Context,
  repository: Repository,
  amendments: Amendments,
): Promise<void> {
  const open = amendments.unknown();
  const found = await findCommits(repository.place, open);
  for (const id of open.filter((id) => !found.has(id))) {
    warn(context, `history.amend: ${id} matches no commit, or more than one`);
  }
}

/** The engine is loaded only where a configuration has patterns. */
async function compileAll(patterns: Workspace['config']['history']['patterns']): Promise<MeaningRules['patterns']> {
  if (patterns.length === 0) return [];
  const { compilePattern } = await import('../../core/text/linear-pattern.ts');
  return patterns.map(({ match, kind }) => ({ match: compilePattern(match), kind: kind.toLowerCase() }));
}
