import { BevelstoneError } from '../error/bevelstone-error.ts';
import { objectOf, shownText } from '../manifest/fields.ts';
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
import { readSpdx3, spdx3Version } from './spdx3-read.ts';

/** An SBOM's text as JSON, with its kind. */
export type SbomDocument = { readonly kind: SbomKind; readonly json: Readonly<Record<string, unknown>> };

type Json = SbomDocument['json'];

const formats = {
  spdx: {
    ending: '.spdx.json',
    format: formatSpdx,
    read: readSpdx,
    check: checkSpdx,
    title: (json: Json) => `SPDX ${spdx3Version(json) ?? shownText(json['spdxVersion']).replace(/^SPDX-/, '')}`,
    isCheckable: (json: Json) => spdx3Version(json) === null,
  },
  cyclonedx: {
    ending: '.cdx.json',
    format: formatCycloneDx,
    read: readCycloneDx,
    check: checkCycloneDx,
    title: (json: Json) => `CycloneDX ${shownText(json['specVersion'] ?? 'of no version')}`,
    isCheckable: (json: Json) => json['specVersion'] !== '1.7',
  },
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
  if (spdx3Version(json) !== null || json['spdxVersion'] !== undefined) return { kind: 'spdx', json };
  if (json['bomFormat'] !== undefined) return { kind: 'cyclonedx', json };
  throw unreadable(file, 'it has neither `spdxVersion`, nor `bomFormat`, nor the context of SPDX 3');
}

/** The SBOM that a document holds, as far as it is understood. */
export function readSbom({ kind, json }: SbomDocument): Sbom {
  return spdx3Version(json) === null ? formats[kind].read(json) : readSpdx3(json);
}

/** Format and version of a document in words, such as `SPDX 2.2`. */
export function titleOf({ kind, json }: SbomDocument): string {
  return formats[kind].title(json);
}

/** Whether the rules of a document's version are known here, so that it can be checked and not only read. */
export function isCheckable({ kind, json }: SbomDocument): boolean {
  return formats[kind].isCheckable(json);
}

/** What is wrong with a document by the specification of its own version; nothing where those rules are not known here. */
export function checkSbom(document: SbomDocument): SbomProblem[] {
  return isCheckable(document) ? formats[document.kind].check(document.json) : [];
}

function unreadable(file: string, why: string, cause?: unknown): BevelstoneError {
  return new BevelstoneError('SBOM_UNREADABLE', {
    message: `${file} is not an SBOM in SPDX or CycloneDX`,
    why,
    fix: 'Give a document in JSON of SPDX 2.2, 2.3 or 3.0.1, or of CycloneDX 1.2 to 1.7',
    where: { file },
    ...(cause === undefined ? {} : { cause }),
  });
}
