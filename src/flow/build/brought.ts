import path from 'node:path';
import type { ArtifactConfig } from '../../core/config/config.ts';
import type { Origin } from '../../core/contents/entry.ts';
import type { Candidate } from '../../core/contents/select.ts';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { formDefinitions } from '../../core/form/definitions.ts';
import { fillPlaceholders } from '../../core/form/placeholder.ts';
import type { Form } from '../../core/name/form.ts';
import { globMatcher } from '../../core/text/glob.ts';
import { spellAll } from '../../core/version/spelling.ts';
import { OutputFile, type WrittenArchive } from '../../world/archive/output-file.ts';
import { readBytes } from '../../world/file-bytes.ts';
import { readArtifact } from '../read/read-artifact.ts';
import type { BuildJob } from './build-job.ts';
import { type PackedArtifact, toRecord } from './pack-artifact.ts';

/** Where a brought artifact is looked for, and where it goes. */
export type BringInput = {
  readonly artifact: ArtifactConfig;
  readonly platform: string | null;
  readonly files: readonly Candidate[];
  readonly locate: (source: Candidate) => string;
  readonly originOf: (path: string) => Origin;
  readonly target: string;
};

/**
 * Takes an artifact that a build step made, byte for byte. What it says of itself must be what the survey says.
 * @throws BROUGHT_NOT_ONE when no file or several match, BROUGHT_DIFFERS for another form, name or version, and whatever
 * reading it may throw.
 */
export async function bringArtifact(job: BuildJob, input: BringInput): Promise<PackedArtifact> {
  const { artifact, platform, target } = input;
  const { pkg, version, survey } = job;
  const facts = { packageName: pkg.name, version, platform, commit: survey.commit };
  const glob = fillPlaceholders(artifact.brought ?? '', facts).replace(/^\.\//, '');
  const isMatch = globMatcher([glob.replace('{out}', '\\{out\\}')]);
  const matches = input.files.filter(({ path: file, linkname }) => linkname === null && isMatch(file));
  const [found] = matches;
  if (found === undefined || matches.length > 1) throw notOne(pkg.name, glob, matches);
  const fileName = path.posix.basename(found.path);
  const file = path.join(target, fileName);
  const copied = await copyWithDigests(input.locate(found), file);
  const read = await readArtifact(file);
  const wanted = formDefinitions[artifact.form].namedVersion(version, spellAll(version, survey.stream));
  const problems = [
    ...(read.form === artifact.form ? [] : [`it is of the form ${read.form}, not ${artifact.form}`]),
    ...differing('version', read.manifest?.common.version ?? null, wanted),
    ...differing(
      'name',
      nameOf(read.manifest?.common.name ?? null, artifact.form),
      nameOf(pkg.manifest?.name ?? null, artifact.form),
    ),
  ];
  if (problems.length > 0) throw differs(pkg.name, fileName, problems);
  const origin = input.originOf(found.path);
  const entries = read.entries.map(({ mtime: _, owner: __, ...entry }) => ({ ...entry, origin }));
  return {
    record: {
      ...toRecord({
        file: fileName,
        artifactConfig: artifact,
        platform,
        writtenArchive: { ...copied, entries },
        metadata: '',
      }),
      contentDigest: read.contentDigest,
    },
    entries,
  };
}

async function copyWithDigests(from: string, to: string): Promise<WrittenArchive> {
  return OutputFile.fill(to, async (output) => {
    for await (const chunk of readBytes(from)) output.write(chunk);
    return [];
  });
}

/** Missing values cannot contradict the release; a jar has its module name, not its coordinates. */
function differing(what: string, actual: string | null, wanted: string | null): string[] {
  return actual === null || wanted === null || actual === wanted
    ? []
    : [`it says ${what} ${actual}, and the release has ${wanted}`];
}

function nameOf(name: string | null, form: Form): string | null {
  return name === null ? null : formDefinitions[form].innerName(name);
}

function notOne(packageName: string, glob: string, matches: readonly Candidate[]): BevelstoneError {
  const named = matches.map(({ path: file }) => file).join(', ');
  return new BevelstoneError('BROUGHT_NOT_ONE', {
    message: `\`brought: ${glob}\` of ${packageName} matches ${matches.length === 0 ? 'no file' : `${matches.length} files`}, expected one`,
    why: matches.length === 0 ? 'no build step produced it' : `matches: ${named}`,
    fix:
      matches.length === 0 ? 'Correct the glob, or let a step make the file' : 'Write a glob that matches one of them',
    where: { file: 'bevelstone.yaml' },
  });
}

function differs(packageName: string, fileName: string, problems: readonly string[]): BevelstoneError {
  return new BevelstoneError('BROUGHT_DIFFERS', {
    message: `${fileName}, brought for ${packageName}, does not match the release`,
    why: problems.join('\n'),
    fix: 'Make the step read the version from BEVELSTONE_VERSION or the stamped manifest',
  });
}
