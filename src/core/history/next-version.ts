import semver from 'semver';
import type { Problem } from '../error/bevelstone-error.ts';
import { shellWord } from '../text/shell-word.ts';
import { versionLike } from '../version/loose-version.ts';
import { formatPreview } from '../version/preview.ts';
import { counterOf, fitsStream, type Stream } from '../version/stream.ts';
import type { VersionTag } from '../version/tag-pattern.ts';
import { bump, compareVersions, coreOf, formatCore, highestVersion, isNormal, isVersion } from '../version/version.ts';
import { heaviest, shiftBelowOne, type Weight } from '../version/weight.ts';
import { type PackageChanges, withTally } from './count-changes.ts';
import { type DependencyEdge, inducedWeight, namesPrerelease, orderByDependency } from './dependency.ts';
import { type Floor, floorsAbove, ownFloors } from './floor.ts';
import { reasonOfRelease, reasonOfRest } from './reason.ts';

/** What is known of one package before its next version. */
export type PackageFacts = {
  readonly name: string;
  /** All its version tags, reachable or not. */
  readonly tags: readonly VersionTag[];
  readonly last: string | null;
  readonly lastInSeries: string | null;
  readonly elsewhere: readonly VersionTag[];
  readonly manifestVersion: string | null;
  /** What a first release must not be below, beside its own tags. */
  readonly floors: readonly Floor[];
  /** The line of bevelstone.yaml that would read the tags among these; null when none is known. */
  readonly tagAdvice: string | null;
  readonly changes: PackageChanges;
};

/** What the maintainer asks for on top of what history says (docs/design/versions.md, step 20). */
export type Overrides = {
  readonly exactly: string | null;
  readonly raise: Weight | null;
  readonly because: string | null;
};

/** Everything else the calculation depends on. */
export type VersionRules = {
  readonly stream: Stream;
  readonly head: string;
  readonly dirty: boolean;
  readonly first: string;
  readonly belowOne: 'shift' | 'keep';
  readonly unmarked: 'none' | 'patch' | 'refuse';
  /** Indexes of packages that share one version. */
  readonly groups: readonly (readonly number[])[];
  readonly edges: readonly DependencyEdge[];
  readonly overrides: Overrides;
  /** Indexes of the packages asked for; null for all. */
  readonly selected: ReadonlySet<number> | null;
};

/** The answer for one package. */
export type NextVersion = {
  readonly next: string | null;
  readonly weight: Weight;
  /** Whether weights count for less, since the last version is below 1.0.0 (step 14). */
  readonly isShifted: boolean;
  readonly reasons: readonly string[];
  /** What the maintainer says why (`--because`); null without. */
  readonly because: string | null;
};

/** Answers in the order of the packages, and what refuses a release. */
export type NextVersions = { readonly packages: readonly NextVersion[]; readonly problems: readonly Problem[] };

/** Packages that share one version: a group, or a package alone. */
type Unit = {
  readonly members: readonly number[];
  readonly last: string | null;
  readonly isSelected: boolean;
  weight: Weight;
  forced: boolean;
  readonly follows: Map<number, Set<string>>;
};

/**
 * The next version of every package (docs/design/versions.md, steps 13 to 22). Problems of packages not asked for are left out.
 * @throws DEPENDENCY_CIRCLE, since then there is no order to calculate in.
 */
export function nextVersions(packages: readonly PackageFacts[], rules: VersionRules): NextVersions {
  orderByDependency(
    packages.map(({ name }) => name),
    rules.edges,
  );
  const units = makeUnits(packages, rules);
  const unitOf = new Map(units.flatMap((unit) => unit.members.map((member) => [member, unit] as const)));
  const answers = new Map<Unit, Answer>();
  const answer = (unit: Unit): Answer => decide(unit, packages, rules);
  for (const unit of units) answers.set(unit, answer(unit));
  induce({ packages, edges: rules.edges, unitOf, answers, answer });
  const shown = units.filter(({ isSelected }) => isSelected);
  const problems = [
    ...manyProblems(shown, rules.overrides),
    ...unmarkedProblems(packages, rules, shown),
    ...shown.flatMap((unit) => answers.get(unit)?.problem ?? []),
    ...prereleaseProblems({ packages, versionRules: rules, unitOf, answers }),
  ];
  return {
    packages: packages.map((facts, index) => {
      const unit = unitOf.get(index);
      const next = unit === undefined ? null : (answers.get(unit)?.next ?? null);
      const isShifted = unit !== undefined && isBelowOne(unit, rules);
      if (rules.stream.type === 'maintained' && isOffLine([facts], rules.stream) && next === null)
        return {
          next: null,
          weight: 'none',
          isShifted,
          reasons: [`no release inside ${rules.stream.only}, so not of this line`],
          because: null,
        };
      if (unit === undefined || next === null)
        return {
          next: null,
          weight: 'none',
          isShifted,
          reasons: [reasonOfRest(sinceSeries(facts).tally, facts.lastInSeries ?? facts.last)],
          because: null,
        };
      const because = unit.isSelected ? rules.overrides.because : null;
      const reasons = reasonsFor({ index, unit, packages, rules });
      return { next, weight: effective(unit, rules), isShifted, reasons, because };
    }),
    problems,
  };
}

type Answer = { readonly next: string | null; readonly problem: Problem | null };

function makeUnits(packages: readonly PackageFacts[], rules: VersionRules): Unit[] {
  const grouped = new Set(rules.groups.flat());
  const alone = [...packages.keys()].filter((index) => !grouped.has(index)).map((index) => [index]);
  return [...rules.groups, ...alone].map((members) => {
    const isSelected = rules.selected === null || members.some((member) => rules.selected?.has(member));
    const own = heaviest(members.map((member) => memberWeight(packages[member])));
    const raise = isSelected ? (rules.overrides.raise ?? 'none') : 'none';
    return {
      members,
      last: highestVersion(members.flatMap((member) => packages[member]?.last ?? [])),
      isSelected,
      weight: heaviest([own, raise]),
      forced: raise !== 'none',
      follows: new Map(),
    };
  });

  function memberWeight(facts: PackageFacts | undefined): Weight {
    if (facts === undefined) return 'none';
    const joins =
      facts.last === null &&
      rules.groups.some((group) => group.some((index) => packages[index] === facts) && group.length > 1);
    const groupHasLast =
      joins &&
      rules.groups.some(
        (group) => group.some((index) => packages[index] === facts) && group.some((index) => packages[index]?.last),
      );
    return groupHasLast ? 'none' : facts.changes.tally.weight;
  }
}

/** Releases what must follow its dependencies, until nothing changes (step 16). Weights only grow, so this ends. */
function induce({
  packages,
  edges,
  unitOf,
  answers,
  answer,
}: {
  readonly packages: readonly PackageFacts[];
  readonly edges: readonly DependencyEdge[];
  readonly unitOf: ReadonlyMap<number, Unit>;
  readonly answers: Map<Unit, Answer>;
  readonly answer: (unit: Unit) => Answer;
}): void {
  for (let changed = true; changed; ) {
    changed = false;
    for (const edge of edges) {
      const [unit, needed] = [unitOf.get(edge.from), unitOf.get(edge.to)];
      if (unit === undefined || needed === undefined || unit === needed || edge.kind === 'development') continue;
      const version = answers.get(needed)?.next ?? null;
      if (version === null || edge.takes(version) || unit.last === null) continue;
      const weight = heaviest([unit.weight, inducedWeight(edge, needed.weight)]);
      const reasons = unit.follows.get(edge.from) ?? new Set();
      const reason = `follows ${packages[edge.to]?.name} ${version}`;
      if (weight === unit.weight && unit.forced && reasons.has(reason)) continue;
      unit.follows.set(
        edge.from,
        new Set([
          ...[...reasons].filter((reason) => !reason.startsWith(`follows ${packages[edge.to]?.name} `)),
          reason,
        ]),
      );
      unit.weight = weight;
      unit.forced = true;
      answers.set(unit, answer(unit));
      changed = true;
    }
  }
}

function decide(unit: Unit, packages: readonly PackageFacts[], rules: VersionRules): Answer {
  const members = unit.members.flatMap((member) => packages[member] ?? []);
  const { stream, overrides } = rules;
  if (overrides.exactly !== null && unit.isSelected)
    return decideExactly({ version: overrides.exactly, unit, members, rules });
  if (isOffLine(members, stream)) return { next: null, problem: null };
  const begun = beginning(unit, members, rules);
  if (begun !== null) return begun;
  const commits = Math.max(...members.map(({ changes }) => changes.tally.commits));
  const core = unit.last === null ? firstCore(members, rules, commits) : bumped(unit.last, effective(unit, rules));
  if (stream.type === 'preview') {
    if (commits === 0 && !unit.forced && !rules.dirty) return { next: null, problem: null };
    const based = core ?? (unit.last === null ? rules.first : bump(unit.last, 'patch'));
    return {
      next: formatPreview({ core: based, label: stream.label, commits, commit: rules.head, dirty: rules.dirty }),
      problem: null,
    };
  }
  if (stream.type === 'labelled') {
    const labelled = decideLabelled({ own: core, unit, members, stream });
    return {
      ...labelled,
      problem: labelled.problem ?? belowProblem({ version: labelled.next, unit, members, stream }),
    };
  }
  if (core === null) return { next: null, problem: null };
  const problem =
    outsideProblem(core, members, rules) ??
    elsewhereProblem(core, members, stream) ??
    belowProblem({ version: core, unit, members, stream });
  return { next: core, problem };
}

/** The first release on a branch that is named after its version; null on every other branch, and for every later one. */
function beginning(unit: Unit, members: readonly PackageFacts[], { stream }: VersionRules): Answer | null {
  if (stream.type !== 'maintained' || stream.begin === null) return null;
  if (unit.last !== null && semver.satisfies(unit.last, stream.only)) return null;
  const { begin } = stream;
  const hasChanges = members.some(({ changes }) => changes.tally.commits > 0);
  if (!unit.forced && (unit.last === null ? !hasChanges : unit.weight === 'none')) return { next: null, problem: null };
  if (unit.last === null || compareVersions(begin, unit.last) > 0)
    return { next: begin, problem: elsewhereProblem(begin, members, stream) };
  return {
    next: begin,
    problem: {
      code: 'VERSION_BELOW',
      message: `${namesOf(members)} would be ${begin}, as the branch ${stream.branch} says, but ${unit.last} was released before it`,
      fix: 'Name the branch after a higher version, or choose a version with --exactly',
      where: null,
    },
  };
}

/** A first release below a version that seems to exist (step 15). */
function belowProblem({
  version,
  unit,
  members,
  stream,
}: {
  readonly version: string | null;
  readonly unit: Unit;
  readonly members: readonly PackageFacts[];
  readonly stream: Stream;
}): Problem | null {
  if (version === null || unit.last !== null) return null;
  const floors = members.flatMap(({ tags, floors: others }) => [...others, ...ownFloors(tags)]);
  const above = floorsAbove(floors, version);
  const [highest] = above;
  if (highest === undefined) return null;
  const [major = 0, minor = 0] = highest.numbers;
  const advice = members.flatMap(({ tagAdvice }) => tagAdvice ?? [])[0] ?? null;
  const label = stream.type === 'labelled' ? `-${stream.identifier}.1` : '';
  const exactly = releaseExactly(members, `${major}.${minor + 1}.0${label}`);
  return {
    code: 'VERSION_BELOW',
    message: `the first release of ${namesOf(members)} would be ${version}, below ${listFloors(above)}`,
    fix: `${belowFix(highest, advice)}, or choose the version yourself, for example: ${exactly}`,
    where: highest.at.type === 'file' ? { file: highest.at.file } : null,
  };
}

function belowFix({ at, numbers, text }: Floor, advice: string | null): string {
  if (at.type === 'own-tag') return `Run: git merge ${shellWord(text)}`;
  if (at.type === 'file') {
    const first = [...numbers, 0, 0].slice(0, 3).join('.');
    return `If that is the version to begin with, write into \`history\`: first: ${first}`;
  }
  return advice === null
    ? 'If these tags are its releases, add their pattern to `history.tag`'
    : `If these tags are its releases, write into \`history\`: ${advice}`;
}

function listFloors(floors: readonly Floor[]): string {
  const tags = floors.filter(({ at }) => at.type !== 'file').map(({ text }) => text);
  const files = floors.flatMap(({ text, at }) => (at.type === 'file' ? [`${text} in ${at.file}`] : []));
  const shown = tags.slice(0, 10).join(', ') + (tags.length > 10 ? ` and ${tags.length - 10} more` : '');
  const named = tags.length === 0 ? [] : [`${tags.length === 1 ? 'the tag' : 'the tags'} ${shown}`];
  return [...named, ...files].join(' and ');
}

function decideLabelled({
  own,
  unit,
  members,
  stream,
}: {
  readonly own: string | null;
  readonly unit: Unit;
  readonly members: readonly PackageFacts[];
  readonly stream: Stream & { type: 'labelled' };
}): Answer {
  const inSeries = highestVersion(members.flatMap(({ lastInSeries }) => lastInSeries ?? []));
  const isNew = members.some(({ changes }) => changes.tally.isNewToSeries);
  if (!unit.forced && (inSeries === null ? own === null : !isNew)) return { next: null, problem: null };
  const core = own ?? (inSeries === null ? null : formatCore(coreOf(inSeries)));
  if (core === null) return { next: null, problem: null };
  const ahead = members
    .flatMap(({ elsewhere }) => elsewhere)
    .find(({ version }) => compareVersions(version, core) >= 0);
  const highest = highestVersion([core, ...(inSeries === null ? [] : [formatCore(coreOf(inSeries))])]) ?? core;
  const counters = members.flatMap(({ tags }) =>
    tags
      .filter(({ version }) => formatCore(coreOf(version)) === highest)
      .map(({ version }) => counterOf(version, stream.identifier) ?? 0),
  );
  const following = 1 + Math.max(0, ...counters);
  const commits = Math.max(...members.map(({ changes }) => changes.tally.countedCommits));
  const counter = stream.count === 'commits' ? Math.max(commits, following) : following;
  return {
    next: `${highest}-${stream.identifier}.${counter}`,
    problem: ahead === undefined ? null : behindProblem(ahead, core, members),
  };
}

function decideExactly({
  version,
  unit,
  members,
  rules,
}: {
  readonly version: string;
  readonly unit: Unit;
  readonly members: readonly PackageFacts[];
  readonly rules: VersionRules;
}): Answer {
  const refuse = (why: string, fix: string): Answer => ({
    next: null,
    problem: {
      code: 'VERSION_REFUSED',
      message: `${namesOf(members)} cannot be released as ${version}: ${why}`,
      fix,
      where: null,
    },
  });
  const floor = highestVersion(
    [unit.last, ...members.map(({ lastInSeries }) => lastInSeries)].filter((item) => item !== null),
  );
  if (!isVersion(version))
    return refuse('expected MAJOR.MINOR.PATCH', 'Write a SemVer 2.0.0 version, for example 1.4.0');
  if (floor !== null && compareVersions(version, floor) <= 0)
    return refuse(`the last release is ${floor}`, `Choose a version above ${floor}`);
  if (!fitsStream(version, rules.stream)) {
    return refuse(
      `the stream ${rules.stream.name} does not give such versions`,
      'Choose a version of its shape, or another stream with --stream',
    );
  }
  return { next: version, problem: elsewhereProblem(version, members, rules.stream) };
}

/**
 * A maintained line of one package is a branch of all: a package that was released, but never inside the line's range, is
 * not of this line. Taking it for a first release would refuse the whole line.
 */
function isOffLine(members: readonly PackageFacts[], stream: Stream): boolean {
  if (stream.type !== 'maintained' || stream.begin !== null || members.some(({ last }) => last !== null)) return false;
  return members.some(({ tags }) => tags.some(({ version }) => isNormal(version)));
}

/** What came since the last of a series, or since the last release where there is no series. */
function sinceSeries({ changes, lastInSeries }: PackageFacts): PackageChanges {
  if (lastInSeries === null) return changes;
  const since = [...changes.changes].filter((change) => change.sinceSeries);
  return withTally(since, changes.warnings);
}

/** The version of a first release (step 15), null when nothing was ever committed for it. */
function firstCore(members: readonly PackageFacts[], rules: VersionRules, commits: number): string | null {
  if (commits === 0) return null;
  const written = members.flatMap(({ manifestVersion }) => meantVersion(manifestVersion) ?? []);
  return highestVersion([rules.first, ...written]);
}

/** A manifest's version as numbers; null when it is only a placeholder. */
function meantVersion(version: string | null): string | null {
  // Manifests of other ecosystems may have fewer numbers, or a suffix of their own.
  const numbers = version === null ? [] : (versionLike(`v${version}`)?.numbers ?? []);
  if (numbers.length === 0 || numbers.length > 3 || numbers.every((part) => part === 0)) return null;
  return [...numbers, 0, 0].slice(0, 3).join('.');
}

function bumped(last: string, weight: Weight): string | null {
  return weight === 'none' ? null : bump(last, weight);
}

function effective(unit: Unit, rules: VersionRules): Weight {
  return isBelowOne(unit, rules) ? shiftBelowOne(unit.weight) : unit.weight;
}

function isBelowOne({ last }: Unit, { belowOne }: VersionRules): boolean {
  return belowOne === 'shift' && last !== null && coreOf(last).major === 0;
}

function reasonsFor({
  index,
  unit,
  packages,
  rules,
}: {
  readonly index: number;
  readonly unit: Unit;
  readonly packages: readonly PackageFacts[];
  readonly rules: VersionRules;
}): string[] {
  const facts = packages[index];
  if (facts === undefined) return [];
  const { overrides } = rules;
  const written = meantVersion(facts.manifestVersion);
  const firstReason = written === null ? 'no tag yet' : `no tag yet, the manifest says ${written}`;
  const own = reasonOfRelease(facts.changes.tally);
  const others = unit.members.filter((member) => member !== index).map((member) => packages[member]?.name);
  const reasons = [
    ...(unit.last === null ? [firstReason] : []),
    ...(own === '' ? [] : [own]),
    ...(unit.follows.get(index) ?? []),
    ...(effective(unit, rules) === unit.weight || overrides.exactly !== null
      ? []
      : [`below-one: ${unit.weight} becomes ${effective(unit, rules)}`]),
    ...(overrides.exactly !== null && unit.isSelected ? [`asked for as ${overrides.exactly}`] : []),
    ...(overrides.raise !== null && unit.isSelected ? [`raised to ${overrides.raise}`] : []),
    ...(overrides.because !== null && unit.isSelected ? [overrides.because] : []),
  ];
  if (reasons.length > 0) return reasons;
  return others.length > 0 ? [`together with ${others.join(', ')}`] : [reasonOfRest(facts.changes.tally, facts.last)];
}

function manyProblems(shown: readonly Unit[], { exactly }: Overrides): Problem[] {
  if (exactly === null || shown.length < 2) return [];
  const message = `${exactly} was asked for, and ${shown.length} packages or groups are selected`;
  return [{ code: 'VERSION_REFUSED', message, fix: 'Name one package or group with -p', where: null }];
}

function namesOf(members: readonly PackageFacts[]): string {
  return members.map(({ name }) => name).join(' and ');
}

function outsideProblem(version: string, members: readonly PackageFacts[], { stream }: VersionRules): Problem | null {
  if (stream.type !== 'maintained' || semver.satisfies(version, stream.only)) return null;
  return {
    code: 'VERSION_OUTSIDE',
    message: `${namesOf(members)} would be ${version}, but the stream ${stream.name} only allows ${stream.only}`,
    fix: 'Make this change on the main branch, or reduce it so that it fits this range',
    where: null,
  };
}

function elsewhereProblem(version: string, members: readonly PackageFacts[], stream: Stream): Problem | null {
  const taken = members.flatMap(({ tags }) => tags).find((tag) => compareVersions(tag.version, version) === 0);
  if (taken === undefined) return null;
  return {
    code: 'VERSION_ELSEWHERE',
    message: `${namesOf(members)} would be ${version}, but the tag ${taken.tag} already marks that version at ${taken.commit.slice(0, 7)}`,
    fix: `Run: git merge ${shellWord(taken.tag)}, or choose another version${freeExample(members, stream)}`,
    where: null,
  };
}

/** A command with a version that no tag has; only for streams without counters, where it follows from the highest. */
function freeExample(members: readonly PackageFacts[], stream: Stream): string {
  if (stream.type !== 'stable' && stream.type !== 'maintained') return ' with --exactly';
  const versions = members.flatMap(({ tags }) => tags.map(({ version }) => version));
  const highest = highestVersion(versions.filter((version) => fitsStream(version, stream)));
  const free = highest === null ? null : bump(highest, 'patch');
  return free === null || !fitsStream(free, stream)
    ? ' with --exactly'
    : `, for example: ${releaseExactly(members, free)}`;
}

function releaseExactly(members: readonly PackageFacts[], version: string): string {
  return ['bevelstone release', ...members.map(({ name }) => `-p ${shellWord(name)}`), `--exactly ${version}`].join(
    ' ',
  );
}

function behindProblem(ahead: VersionTag, core: string, members: readonly PackageFacts[]): Problem {
  return {
    code: 'STREAM_BEHIND',
    message: `${namesOf(members)} would continue towards ${core}, but ${ahead.version} was already released from a commit that is not on this branch`,
    fix: `Run: git merge ${shellWord(ahead.tag)}`,
    where: null,
  };
}

function unmarkedProblems(packages: readonly PackageFacts[], rules: VersionRules, shown: readonly Unit[]): Problem[] {
  if (rules.unmarked !== 'refuse') return [];
  return shown.flatMap(({ members }) =>
    members.flatMap((member) =>
      [...(packages[member]?.changes.changes ?? [])]
        .filter(({ unmarked }) => unmarked)
        .map(({ commit, item: { summary } }) => ({
          code: 'COMMIT_UNMARKED' as const,
          message: `${commit.slice(0, 7)} "${summary}" has no recognisable kind (package ${packages[member]?.name})`,
          fix: `Add it to history.amend: "${commit.slice(0, 7)}": { kind: fix }`,
          where: null,
        })),
    ),
  );
}

/** A stable release must not need a prerelease of the workspace (step 16). */
function prereleaseProblems({
  packages,
  versionRules: { edges, stream },
  unitOf,
  answers,
}: {
  readonly packages: readonly PackageFacts[];
  readonly versionRules: VersionRules;
  readonly unitOf: ReadonlyMap<number, Unit>;
  readonly answers: ReadonlyMap<Unit, Answer>;
}): Problem[] {
  if (stream.type !== 'stable' && stream.type !== 'maintained') return [];
  return edges.flatMap((edge) => {
    const [unit, needed] = [unitOf.get(edge.from), unitOf.get(edge.to)];
    if (unit === undefined || needed === undefined || edge.kind === 'development' || !unit.isSelected) return [];
    const isReleased = (answers.get(unit)?.next ?? null) !== null;
    const stable = answers.get(needed)?.next ?? packages[edge.to]?.last ?? null;
    if (!isReleased || !namesPrerelease(edge.range) || (stable !== null && edge.accepts(stable))) return [];
    const [name, dependency] = [packages[edge.from]?.name, packages[edge.to]?.name];
    return [
      {
        code: 'DEPENDENCY_PRERELEASE' as const,
        message: `${name} would be stable but depends on ${dependency} ${edge.range}, a prerelease`,
        fix: `Release ${dependency} as stable first, or change the range`,
        where: null,
      },
    ];
  });
}
