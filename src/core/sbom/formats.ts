import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf } from '../manifest/fields.ts';
import type { SbomKind } from '../name/form.ts';
import { parseJson } from '../text/json.ts';
import { checkCycloneDx } from './cyclonedx-check.ts';
import { readCycloneDx } from './cyclonedx-read.ts';
import { formatCycloneDx } from './cyclonedx-write.ts';
import type { SbomProblem } from './problem.ts';
import type { Sbom } from './sbom.ts';
import { checkSpdx } from './spdx-check.ts';
import { readSpdx } from './spdx-read.ts';
import { formatSpdx } from './spdx-write.ts';

/** An SBOM's text as JSON, with its kind. */
export type SbomDocument = { readonly kind: SbomKind; readonly json: Readonly<Record<string, unknown>> };

const formats = {
  spdx: { ending: '.spdx.json', format: formatSpdx, read: readSpdx, check: checkSpdx },
  cyclonedx: { ending: '.cdx.json', format: formatCycloneDx, read: readCycloneDx, check: checkCycloneDx },
} as const;

/** What a file with an SBOM of this kind is called. */
export function sbomFileName(stem: string, kind: SbomKind): string {
  return `${stem}${formats[kind].ending}`;
}

/** The kind that a file name says; null for none. */
export function kindOfFileName(file: string): SbomKind | null {
  if (/\.spdx(?:\.json)?$/i.test(file)) return 'spdx';
  return /\.(?:cdx|bom)\.json$|(?:^|\/)bom\.json$/i.test(file) ? 'cyclonedx' : null;
}

/** An SBOM's text in a format. */
export function formatSbom(sbom: Sbom, kind: SbomKind): string {
  return formats[kind].format(sbom);
}

/** @throws SBOM_UNREADABLE for anything but a JSON document of one of the two formats. */
export function parseSbom(text: string, file: string): SbomDocument {
  let json: Readonly<Record<string, unknown>>;
  try {
    json = objectOf(parseJson(text));
  } catch (cause) {
    throw unreadable(file, cause instanceof Error ? cause.message : 'it is no JSON', cause);
  }
  if (json['spdxVersion'] !== undefined) return { kind: 'spdx', json };
  if (json['bomFormat'] !== undefined) return { kind: 'cyclonedx', json };
  throw unreadable(file, 'it has neither `spdxVersion` nor `bomFormat`');
}

/** The SBOM that a document holds, as far as it is understood. */
export function readSbom({ kind, json }: SbomDocument): Sbom {
  return formats[kind].read(json);
}

/** What is wrong with a document by its specification. */
export function checkSbom({ kind, json }: SbomDocument): SbomProblem[] {
  return formats[kind].check(json);
}

function unreadable(file: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('SBOM_UNREADABLE', {
    message: `${file} is not an SBOM in SPDX 2.3 or CycloneDX 1.6`,
    why,
    fix: 'Give an SPDX 2.3 or CycloneDX 1.6 document in JSON',
    where: { file },
    ...(cause === undefined ? {} : { cause }),
  });
}
