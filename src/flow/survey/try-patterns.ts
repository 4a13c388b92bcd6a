import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { VersionTag } from '../../core/version/tag-pattern.ts';
import { isNormal } from '../../core/version/version.ts';
import { type Context, quietly } from '../context.ts';
import { plainSurvey, surveyWorkspace } from './survey.ts';

/** A release of the past, and what its commits would have given with a configuration. */
export type TriedRelease = {
  readonly package: string;
  readonly tag: string;
  readonly released: string;
  readonly computed: string | null;
};

/** How many releases are tried. */
const maxTried = 3;

/**
 * What a configuration would have made of the last releases of a package: a look at whether its patterns fit the history.
 * @param tags of the package, highest first.
 * @param configFile the configuration to try.
 */
export async function tryLastReleases(
  context: Context,
  {
    name,
    tags,
    configFile,
  }: { readonly name: string; readonly tags: readonly VersionTag[]; readonly configFile: string },
): Promise<TriedRelease[]> {
  const tried: TriedRelease[] = [];
  for (const { tag, version } of tags.filter(({ version }) => isNormal(version)).slice(0, maxTried)) {
    const inside = { ...quietly(context), configFile, packages: [name] };
    try {
      const survey = await surveyWorkspace(inside, { ...plainSurvey, at: tag, asReleased: true });
      const found = survey.packages.find((pkg) => pkg.name === name);
      if (found === undefined || found.last === null) continue;
      tried.push({ package: name, tag, released: version, computed: found.next });
    } catch (error) {
      if (!isBevelstoneError(error)) throw error;
    }
  }
  return tried;
}
