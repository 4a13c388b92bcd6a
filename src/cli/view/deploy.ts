import { cleanText } from '../../core/text/clean.ts';
import type { Deployed, DeployPlan } from '../../flow/deploy/deploy-plan.ts';
import { type Screen, signText } from './screen.ts';
import { beside } from './wrap.ts';

/** More paths of one kind are only counted. */
const shownPaths = 12;

/** What is about to change on a target, before the question. */
export function renderDeployPlan(plan: DeployPlan, screen: Screen): string {
  return [titleOf(plan, 'About to deploy', screen), '', ...planLines(plan, screen), ''].join('\n');
}

/** What was done, or would be. */
export function renderDeployed(deployed: Deployed, screen: Screen): string {
  const { state, package: name, version, deployment, target, before, earlier, isAtomic, commands } = deployed;
  const release = cleanText(`${name} ${version}${partialText(deployed)}`);
  if (state === 'planned')
    return [titleOf(deployed, 'Would deploy', screen), '', ...planLines(deployed, screen)].join('\n');
  if (state === 'already-there')
    return `${signText('nothing', screen)} ${release} is in place on ${cleanText(deployment)} already; every file was read and is as it was deployed`;
  const title =
    state === 'removed'
      ? `${cleanText(deployment)} has nothing deployed now: ${release} was the first, and it was not finished`
      : state === 'returned'
        ? `${cleanText(deployment)} returned to ${release}`
        : `${release} is in place on ${cleanText(deployment)}`;
  return [
    screen.colours.bold(title),
    '',
    row('target', cleanText(target), screen),
    ...(before === null || before === version
      ? []
      : [row(state === 'returned' ? 'instead of' : 'before', cleanText(before), screen)]),
    row('files', counted(deployed), screen),
    row('switch', isAtomic ? 'in one step' : 'links in one step, then copied files one by one', screen),
    ...(commands.length === 0 ? [] : [row('commands', commands.map(cleanText).join('; '), screen)]),
    row('return to', returnText(earlier, deployment), screen),
  ].join('\n');
}

function returnText([next, ...older]: readonly string[], deployment: string): string {
  if (next === undefined) return 'nothing: this is the first';
  const more = older.length === 0 ? '' : `; ${older.length} older ${older.length === 1 ? 'one is' : 'ones are'} kept`;
  return `${cleanText(next)} with: bevelstone deploy --back --to ${cleanText(deployment)}${more}`;
}

/** What a partial artifact puts on top of its release; '' for a whole one. */
export function partialText({ partialOf }: Pick<DeployPlan, 'partialOf'>): string {
  if (partialOf === null) return '';
  return partialOf.length === 0 ? ' with some changes' : ` with changes of issue ${partialOf.join(', ')}`;
}

/** The `result` of `deploy --json`. */
export function deployedJson(deployed: Deployed): unknown {
  return deployed;
}

function titleOf(plan: DeployPlan, start: string, screen: Screen): string {
  const { package: name, version, deployment, before, partialOf } = plan;
  const again = partialOf === null ? ' again' : '';
  const instead = before === null ? '' : before === version ? again : `, instead of ${before}`;
  return screen.colours.bold(cleanText(`${start} ${name} ${version}${partialText(plan)} to ${deployment}${instead}`));
}

function planLines(plan: DeployPlan, screen: Screen): string[] {
  const { target, artifact, sha256, parts, isAtomic, added, replaced, removed, changedByHand, commands } = plan;
  return [
    row('target', cleanText(target), screen),
    row('artifact', `${cleanText(artifact)}, SHA-256 ${sha256.slice(0, 12)}…`, screen),
    ...parts.map(({ from, to, isCopied }) =>
      row(isCopied ? 'copy' : 'link', cleanText(`${to} from ${from === '.' ? 'all of it' : from}`), screen),
    ),
    ...commands.map((command) => row('run', cleanText(command), screen)),
    row('switch', isAtomic ? 'in one step' : 'not in one step: copied files change one by one', screen),
    '',
    ...paths('added', added, screen),
    ...paths('replaced', replaced, screen),
    ...paths('removed', removed, screen),
    ...(added.length + replaced.length + removed.length === 0
      ? ['    The release has the same files as the one in place']
      : []),
    ...(changedByHand.length === 0
      ? []
      : [
          '',
          `${signText('warning', screen)} changed by hand since the last deployment:`,
          ...changedByHand.slice(0, shownPaths).map(({ path, how }) => `    ${cleanText(`${path}: ${how}`)}`),
          ...(changedByHand.length > shownPaths ? [`    and ${changedByHand.length - shownPaths} more`] : []),
        ]),
  ];
}

function paths(title: string, files: readonly string[], screen: Screen): string[] {
  const more = files.length > shownPaths ? [row('', `and ${files.length - shownPaths} more`, screen)] : [];
  return [
    ...files.slice(0, shownPaths).map((file, index) => row(index === 0 ? title : '', cleanText(file), screen)),
    ...more,
  ];
}

function counted({ added, replaced, removed }: DeployPlan): string {
  const parts = [
    [added.length, 'added'],
    [replaced.length, 'replaced'],
    [removed.length, 'removed'],
  ].flatMap(([count, word]) => (count === 0 ? [] : [`${count} ${word}`]));
  return parts.length === 0 ? 'none changed' : parts.join(', ');
}

function row(title: string, text: string, screen: Screen): string {
  return beside(`    ${title.padEnd(10)} `, text, screen);
}
