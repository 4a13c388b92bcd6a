import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf } from '../manifest/fields.ts';
import type { BillKind } from '../name/form.ts';
import type { Bill } from './bill.ts';
import { checkCycloneDx } from './cyclonedx-check.ts';
import { readCycloneDx } from './cyclonedx-read.ts';
import { formatCycloneDx } from './cyclonedx-write.ts';
import type { BillProblem } from './problem.ts';
import { checkSpdx } from './spdx-check.ts';
import { readSpdx } from './spdx-read.ts';
import { formatSpdx } from './spdx-write.ts';

/** A bill's text as JSON, with its kind. */
export type BillDocument = { readonly kind: BillKind; readonly json: Readonly<Record<string, unknown>> };

const formats = {
  spdx: { ending: '.spdx.json', format: formatSpdx, read: readSpdx, check: checkSpdx },
  cyclonedx: { ending: '.cdx.json', format: formatCycloneDx, read: readCycloneDx, check: checkCycloneDx },
} as const;

/** What a file with a bill of this kind is called. */
export function billFileName(stem: string, kind: BillKind): string {
  return `${stem}${formats[kind].ending}`;
}

/** The kind that a file name says; null for none. */
export function kindOfFileName(file: string): BillKind | null {
  if (/\.spdx(?:\.json)?$/i.test(file)) return 'spdx';
  return /\.(?:cdx|bom)\.json$|(?:^|\/)bom\.json$/i.test(file) ? 'cyclonedx' : null;
}

/** A bill's text in a format. */
export function formatBill(bill: Bill, kind: BillKind): string {
  return formats[kind].format(bill);
}

/** @throws BILL_UNREADABLE for anything but a JSON document of one of the two formats. */
export function parseBill(text: string, file: string): BillDocument {
  let json: Readonly<Record<string, unknown>>;
  try {
    json = objectOf(JSON.parse(text.replace(/^\ufeff/, '')));
  } catch (cause) {
    throw unreadable(file, cause instanceof Error ? cause.message : 'it is no JSON', cause);
  }
  if (json['spdxVersion'] !== undefined) return { kind: 'spdx', json };
  if (json['bomFormat'] !== undefined) return { kind: 'cyclonedx', json };
  throw unreadable(file, 'it has neither `spdxVersion` nor `bomFormat`');
}

/** The bill that a document holds, as far as it is understood. */
export function readBill({ kind, json }: BillDocument): Bill {
  return formats[kind].read(json);
}

/** What is wrong with a document by its specification. */
export function checkBill({ kind, json }: BillDocument): BillProblem[] {
  return formats[kind].check(json);
}

function unreadable(file: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('BILL_UNREADABLE', {
    message: `${file} is no bill that Bevelstone reads`,
    why,
    fix: 'Name an SPDX 2.3 or CycloneDX 1.6 document in JSON',
    where: { file },
    ...(cause === undefined ? {} : { cause }),
  });
}
