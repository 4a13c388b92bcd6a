import path from 'node:path';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import type { BillKind } from '../../core/name/form.ts';
import type { Bill } from '../../core/sbom/bill.ts';
import { type BillComparison, compareBills } from '../../core/sbom/compare-bills.ts';
import { compareFiles, type FileDifferences } from '../../core/sbom/compare-files.ts';
import {
  type BillDocument,
  checkBill,
  formatBill,
  kindOfFileName,
  parseBill,
  readBill,
} from '../../core/sbom/formats.ts';
import { mergeBills } from '../../core/sbom/merge.ts';
import type { BillProblem } from '../../core/sbom/problem.ts';
import { describePlace, readText, unreadableFile, writeWhole } from '../../world/files.ts';
import type { Context } from '../context.ts';
import { billArtifact, billFolder } from './billed-artifact.ts';

/** The answer of `bill check`. */
export type BillCheck = FileDifferences & {
  readonly file: string;
  readonly kind: BillKind;
  readonly valid: boolean;
  readonly problems: readonly BillProblem[];
  /** What it was compared with; null for nothing. */
  readonly against: string | null;
};

/** Checks a bill against its specification, and against an artifact or a folder. @throws BILL_UNREADABLE, FILE_NOT_FOUND */
export async function checkBillFile(context: Context, file: string, against: string | null): Promise<BillCheck> {
  const document = await readDocument(context, file);
  const problems = checkBill(document);
  const differences = against === null ? null : await compareWith(context, { bill: readBill(document), file, against });
  const { missing, extra, altered } = differences ?? { missing: [], extra: [], altered: [] };
  return { file, kind: document.kind, valid: problems.length === 0, problems, missing, extra, altered, against };
}

/** The error of a bill that is wrong; null for a good one. */
export function billRefusal({ file, problems, missing, extra, altered, against }: BillCheck): BevelstoneError | null {
  const count = missing.length + extra.length + altered.length;
  if (problems.length === 0 && count === 0) return null;
  const parts = [
    ...(problems.length > 0
      ? [`${problems.length} ${problems.length === 1 ? 'place' : 'places'} against its specification`]
      : []),
    ...(count > 0 ? [`${count} ${count === 1 ? 'file' : 'files'} unlike ${against}`] : []),
  ];
  return new BevelstoneError('BILL_WRONG', {
    message: `${file} is wrong: ${parts.join(', ')}`,
    why: 'whoever reads a bill relies on it without looking into the files',
    fix: 'Write it again with `bevelstone bill write`, or tell whoever wrote it',
    where: { file },
  });
}

async function compareWith(
  context: Context,
  { bill, file, against }: { readonly bill: Bill; readonly file: string; readonly against: string },
): Promise<FileDifferences> {
  const place = path.resolve(context.folder, against);
  const { isFolder } = await describePlace(place).catch((error) => {
    throw unreadableFile(error, against) ?? error;
  });
  const files = isFolder ? await billFolder(place) : (await billArtifact(place, () => false)).files;
  const differences = compareFiles(bill, isFolder ? null : path.basename(place), files);
  if (differences !== null) return differences;
  throw new BevelstoneError('BILL_WRONG', {
    message: `${file} names no files of ${against}`,
    why: 'it lists files for none of its packages, or for several others',
    fix: 'Name the artifact that the bill is about',
    where: { file },
  });
}

/** The answer of `bill merge`. */
export type BillMerge = { readonly file: string; readonly components: number; readonly files: number };

/** Joins bills into one file; its name says the kind, else the first bill's. @throws BILL_UNREADABLE, FILE_NOT_FOUND */
export async function mergeBillFiles(context: Context, files: readonly string[], to: string): Promise<BillMerge> {
  const documents: BillDocument[] = [];
  for (const file of files) documents.push(await readDocument(context, file));
  const bills = documents.map(readBill);
  const merged = mergeBills(bills, bills.map(({ name }) => name).join(' and '));
  const kind = kindOfFileName(to) ?? documents[0]?.kind ?? 'spdx';
  await writeWhole(path.resolve(context.folder, to), formatBill(merged, kind));
  return {
    file: to,
    components: merged.packages.filter(({ role }) => role === 'dependency').length,
    files: merged.packages.reduce((sum, one) => sum + (one.files?.length ?? 0), 0),
  };
}

/** The answer of `bill show`. */
export type BillView = {
  readonly file: string;
  readonly kind: BillKind;
  readonly bill: Bill;
  readonly comparison: BillComparison | null;
  readonly against: string | null;
};

/** Reads a bill for showing. @throws BILL_UNREADABLE, FILE_NOT_FOUND */
export async function showBill(context: Context, file: string, against: string | null): Promise<BillView> {
  const document = await readDocument(context, file);
  const bill = readBill(document);
  const other = against === null ? null : readBill(await readDocument(context, against));
  return { file, kind: document.kind, bill, against, comparison: other === null ? null : compareBills(other, bill) };
}

async function readDocument(context: Context, file: string): Promise<BillDocument> {
  const place = path.resolve(context.folder, file);
  const text = await readText(place).catch((error) => {
    throw unreadableFile(error, file) ?? error;
  });
  return parseBill(text, file);
}
