import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { shellWord } from '../../core/text/shell-word.ts';
import { fitsStream, type Stream } from '../../core/version/stream.ts';
import { assignTags } from '../../core/version/tag-pattern.ts';
import { compareVersions, prereleaseOf } from '../../core/version/version.ts';
import { readLocalTag, readRemoteTags } from '../../world/git/remote-tags.ts';
import { currentBranch, remoteOf } from '../../world/git/repository.ts';
import { type Context, warn } from '../context.ts';
import { lightweightNote } from '../deliver/publish-plan.ts';
import { plainSurvey, type Survey, surveyWorkspace } from '../survey/survey.ts';
import { openContext } from '../workspace/workspace.ts';

/**
 * The survey of an existing tag: its package gets the tag's version and no other package any. What the changes would
 * have given is worked out beside it.
 * @throws TAG_NOT_PUSHED when the remote does not have it at this commit, PACKAGE_NOT_FOUND when it belongs to no package,
 * VERSION_REFUSED when the changes demand more than the tag gives.
 */
export async function surveyTagged(context: Context, tag: string, stream: string | null): Promise<Survey> {
  const { place } = await openContext(context);
  const local = await readLocalTag(place, tag);
  const remote = await remoteOf(place, await currentBranch(place));
  const there = remote === null ? null : ((await readRemoteTags(place, remote, [tag])).get(tag) ?? null);
  if (local === null || there === null || there.commit !== local.commit)
    throw notPushed({ tag, remote: remote ?? 'origin', isHere: local !== null, isThere: there !== null });
  if (!local.isAnnotated) warn(context, lightweightNote(tag));
  const ask = (named: string | null, branch: string | null) =>
    surveyWorkspace(
      { ...context, packages: [] },
      { ...plainSurvey, at: tag, stream: named, branch, asReleased: true },
      'commit',
    );
  const first = await ask(stream, stream === null ? await branchFor(context) : null);
  const own = assignTags([{ name: tag, commit: local.commit }], first.workspace.packages).byOwner;
  const index = own.findIndex((tags) => tags.length > 0);
  const version = own[index]?.[0]?.version;
  const name = first.workspace.packages[index]?.name;
  if (version === undefined || name === undefined) throw noPackageTag(tag);
  const survey = fits(first.stream, version) ? first : await ask(streamOf(first, version), null);
  const computed = survey.packages.find((pkg) => pkg.name === name);
  if (computed?.last != null && compareVersions(version, computed.last.version) <= 0)
    throw refused(tag, `${computed.last.version} was released before it`);
  if (computed?.next != null && compareVersions(version, computed.next) < 0)
    throw refused(
      tag,
      `the changes since ${computed.last?.version ?? 'the beginning'} demand ${computed.next}: ${computed.reasons.join('; ')}`,
    );
  if (computed?.next != null && computed.next !== version)
    warn(context, `${name}: the commits give ${computed.next}, the tag says ${version}`);
  const packages = survey.packages.map((pkg) =>
    pkg.name === name ? { ...pkg, next: version } : { ...pkg, next: null },
  );
  return { ...survey, packages };
}

async function branchFor(context: Context): Promise<string | null> {
  const { place } = await openContext(context);
  return context.env['BEVELSTONE_BRANCH'] || currentBranch(place);
}

function fits(stream: Stream, version: string): boolean {
  return stream.type !== 'preview' && fitsStream(version, stream);
}

/** The stream that gives versions of this shape; null for that of the branch. */
function streamOf({ workspace: { config } }: Survey, version: string): string | null {
  const identifier = prereleaseOf(version)?.split('.')[0] ?? null;
  const found = Object.entries(config.streams).find(([, value]) =>
    identifier === null
      ? value.identifier === undefined && value.preview !== true && value.only === undefined
      : value.identifier === identifier,
  );
  return found?.[0] ?? null;
}

function notPushed({
  tag,
  remote,
  isHere,
  isThere,
}: {
  readonly tag: string;
  readonly remote: string;
  readonly isHere: boolean;
  readonly isThere: boolean;
}): BevelstoneError {
  const ref = shellWord(`refs/tags/${tag}`);
  const push = `git push ${shellWord(remote)} ${ref}`;
  const [why, fix] =
    isHere && isThere
      ? [`${remote} has it at another commit`, `To take that one, run: git fetch ${shellWord(remote)} +${ref}:${ref}`]
      : isThere
        ? ['it is not in this clone', `Run: git fetch ${shellWord(remote)} ${ref}:${ref}`]
        : isHere
          ? [`${remote} does not have it`, `Run: ${push}`]
          : [
              'there is no such tag',
              `Make it at the commit to release: git tag -a -m ${shellWord(tag)} ${shellWord(tag)} && ${push}`,
            ];
  return new BevelstoneError('TAG_NOT_PUSHED', { message: `cannot release the tag ${tag}`, why, fix });
}

function noPackageTag(tag: string): BevelstoneError {
  return new BevelstoneError('PACKAGE_NOT_FOUND', {
    message: `the tag ${tag} does not belong to a package`,
    why: 'it matches no `tag` pattern in bevelstone.yaml, or contains no valid version',
    fix: 'Add its pattern to `history.tag` or to the package, or correct the tag',
  });
}

function refused(tag: string, why: string): BevelstoneError {
  return new BevelstoneError('VERSION_REFUSED', {
    message: `the version of the tag ${tag} is too low`,
    why,
    fix: 'Delete the tag and create one with a higher version',
  });
}
