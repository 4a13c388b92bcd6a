import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { SbomKind } from '../../core/name/form.ts';
import { renderSbomPage } from '../../core/page/sbom-page.ts';
import { compareFiles, type FileDifferences } from '../../core/sbom/compare-files.ts';
import { compareSboms, type SbomComparison } from '../../core/sbom/compare-sboms.ts';
import {
  checkSbom,
  formatSbom,
  isCheckable,
  kindOfFileName,
  parseSbom,
  readSbom,
  type SbomDocument,
  titleOf,
} from '../../core/sbom/formats.ts';
import { mergeSboms } from '../../core/sbom/merge.ts';
import type { SbomProblem } from '../../core/sbom/problem.ts';
import type { Sbom } from '../../core/sbom/sbom.ts';
import { formatBytes } from '../../core/text/bytes.ts';
import { limitsInForce } from '../../world/archive/budget.ts';
import { describePlace, readText, sizeOf, unreadableFile, writeWhole } from '../../world/files.ts';
import { type Context, countMoved, during } from '../context.ts';
import { useLimitsOf } from '../workspace/limits.ts';
import { readArtifactFiles, readFolderFiles } from './artifact-files.ts';

/** The answer of `sbom check`. */
export type SbomCheck = FileDifferences & {
  readonly file: string;
  readonly kind: SbomKind;
  /** Format and version, such as `SPDX 2.2`. */
  readonly format: string;
  readonly valid: boolean;
  /** Whether the rules of its version are known here; a document of another one is read and not checked. */
  readonly checked: boolean;
  readonly problems: readonly SbomProblem[];
  /** What it was compared with; null for nothing. */
  readonly against: string | null;
};

/** Checks an SBOM against its specification, and against an artifact or a folder. @throws SBOM_UNREADABLE, FILE_NOT_FOUND */
export async function checkSbomFile(context: Context, file: string, against: string | null): Promise<SbomCheck> {
  const document = await readDocument(context, file);
  const problems = checkSbom(document);
  const differences = against === null ? null : await compareWith(context, { sbom: readSbom(document), file, against });
  const { missing, extra, altered } = differences ?? { missing: [], extra: [], altered: [] };
  return {
    file,
    kind: document.kind,
    format: titleOf(document),
    valid: problems.length === 0,
    checked: isCheckable(document),
    problems,
    missing,
    extra,
    altered,
    against,
  };
}

/** The error of an SBOM that is wrong; null for a good one. */
export function sbomRefusal({ file, problems, missing, extra, altered, against }: SbomCheck): BevelstoneError | null {
  const count = missing.length + extra.length + altered.length;
  if (problems.length === 0 && count === 0) return null;
  const parts = [
    ...(problems.length > 0
      ? [`${problems.length} ${problems.length === 1 ? 'place' : 'places'} against its specification`]
      : []),
    ...(count > 0 ? [`${count} ${count === 1 ? 'file' : 'files'} unlike ${against}`] : []),
  ];
  return new BevelstoneError('SBOM_WRONG', {
    message: `${file} does not match: ${parts.join(', ')}`,
    why: 'users rely on an SBOM without checking the files',
    fix: 'Write it again with `bevelstone sbom write`, or report it to its author',
    where: { file },
  });
}

async function compareWith(
  context: Context,
  { sbom, file, against }: { readonly sbom: Sbom; readonly file: string; readonly against: string },
): Promise<FileDifferences> {
  const place = path.resolve(context.folder, against);
  const { isFolder } = await describePlace(place).catch((error) => {
    throw unreadableFile(error, against) ?? error;
  });
  const what = `read ${against}`;
  const files = await during(context, what, async () =>
    isFolder
      ? readFolderFiles(place, (of) => countMoved(context, what, of))
      : (await readArtifactFiles({ file: place, form: null }, () => false, countMoved(context, what, null))).files,
  );
  const differences = compareFiles(sbom, isFolder ? null : path.basename(place), files);
  if (differences !== null) return differences;
  throw new BevelstoneError('SBOM_WRONG', {
    message: `${file} lists no files of ${against}`,
    why: 'none of its packages, or more than one, has a file list',
    fix: 'Name the artifact that the SBOM is about',
    where: { file },
  });
}

/** The answer of `sbom merge`. */
export type SbomMerge = { readonly file: string; readonly components: number; readonly files: number };

/** Joins SBOMs into one file; its name says the kind, else the first SBOM's. @throws SBOM_UNREADABLE, FILE_NOT_FOUND */
export async function mergeSbomFiles(context: Context, files: readonly string[], to: string): Promise<SbomMerge> {
  const documents: SbomDocument[] = [];
  for (const file of files) documents.push(await readDocument(context, file));
  const sboms = documents.map(readSbom);
  const merged = mergeSboms(sboms, sboms.map(({ name }) => name).join(' and '));
  const kind = kindOfFileName(to) ?? documents[0]?.kind ?? 'spdx';
  await writeWhole(path.resolve(context.folder, to), formatSbom(merged, kind));
  return {
    file: to,
    components: merged.packages.filter(({ role }) => role === 'dependency').length,
    files: merged.packages.reduce((sum, pkg) => sum + (pkg.files?.length ?? 0), 0),
  };
}

/** The answer of `sbom show`. */
export type SbomView = {
  readonly file: string;
  readonly kind: SbomKind;
  /** Format and version, such as `SPDX 2.2`. */
  readonly format: string;
  readonly sbom: Sbom;
  readonly comparison: SbomComparison | null;
  readonly against: string | null;
  /** Where it was written as a page; null for nowhere. */
  readonly page: string | null;
};

/** What is to be shown. */
export type SbomQuestion = { readonly file: string; readonly against: string | null; readonly page: string | null };

/** Reads an SBOM for showing, and writes it as a page when one is asked for. @throws SBOM_UNREADABLE, FILE_NOT_FOUND */
export async function showSbom(context: Context, { file, against, page }: SbomQuestion): Promise<SbomView> {
  const document = await readDocument(context, file);
  const sbom = readSbom(document);
  const other = against === null ? null : readSbom(await readDocument(context, against));
  const format = titleOf(document);
  const comparison = other === null ? null : compareSboms(other, sbom);
  const about = { format, file: path.basename(file), against, comparison };
  if (page !== null) await writeWhole(path.resolve(context.folder, page), renderSbomPage(sbom, about));
  return { file, kind: document.kind, format, sbom, against, page, comparison };
}

/** @throws SBOM_UNREADABLE for one that is too large to be read whole. */
async function refuseLargeSbom(place: string, file: string): Promise<void> {
  const { sbom } = limitsInForce();
  const size = await sizeOf(place).catch((error: unknown) => {
    throw unreadableFile(error, file) ?? error;
  });
  if (size <= sbom) return;
  throw new BevelstoneError('SBOM_UNREADABLE', {
    message: `${file} is too large to be read`,
    why: `it has ${formatBytes(size)}, and ${formatBytes(sbom)} are allowed`,
    fix: 'Check where it comes from; if you trust it, raise `limits.sbom` in bevelstone.yaml',
    where: { file },
  });
}

async function readDocument(context: Context, file: string): Promise<SbomDocument> {
  const place = path.resolve(context.folder, file);
  await useLimitsOf(context);
  await refuseLargeSbom(place, file);
  const text = await readText(place).catch((error) => {
    throw unreadableFile(error, file) ?? error;
  });
  return parseSbom(text, file);
}
