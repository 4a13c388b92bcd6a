import { isInnerPath, unsafeReason } from '../contents/safe-path.ts';
import { ecosystems } from '../name/ecosystem.ts';
import { forms } from '../name/form.ts';
import {
  type Check,
  isCount,
  isHex,
  isLine,
  isOneOf,
  isPackageName,
  isSetOf,
  isSha256,
  isText,
  isVersionText,
  list,
  object,
  orLeftOut,
  orNull,
  type Shape,
} from './schema.ts';

/** The rules of git-check-ref-format(1) for what stands behind `refs/tags/`. */
export const isTagName: Check = (value) =>
  isLine(value) &&
  !/[\s~^:?*[\\]|\.\.|@\{|\/\/|\.lock(?:\/|$)|(?:^|\/)\.|\.$|\/$|^[-/@]/.test((value as string).replace(/^@(?=.)/, ''));

/** Hashes by their names: plain texts, and few. */
const isHashes: Check = (value) =>
  typeof value === 'object' &&
  value !== null &&
  !Array.isArray(value) &&
  Object.keys(value).length <= 10 &&
  Object.entries(value).every(([name, text]) => /^[a-z0-9-]{1,20}$/.test(name) && isLine(text));

/** What a partial artifact has. */
export const partialSummary = object({
  base: isVersionText,
  added: isCount,
  replaced: isCount,
  removed: isCount,
  commits: isCount,
  issues: list(isLine),
});

/** An artifact as it is recorded. */
export const artifactSchema = object({
  file: isInnerPath,
  form: isOneOf(...forms),
  platform: orNull((value) => typeof value === 'string' && /^[a-z0-9]+(?:-[a-z0-9_]+)+$/.test(value)),
  size: isCount,
  sha256: isSha256,
  sha512: isHex(128),
  sha1: isHex(40),
  contentDigest: isSha256,
  entries: isCount,
  hashes: orLeftOut(isHashes),
  surface: orLeftOut(isSha256),
  partial: orLeftOut(partialSummary),
});

const streamTypes = ['stable', 'maintained', 'labelled', 'preview'];

/** What a plan and a release record both say of a package. */
export const aboutShape = {
  name: isLine,
  ecosystem: isOneOf(...ecosystems),
  folder: (value: unknown) => value === '.' || (typeof value === 'string' && unsafeReason(value) === null),
  spellings: (value: unknown) =>
    typeof value === 'object' &&
    value !== null &&
    !Array.isArray(value) &&
    Object.keys(value).length <= 20 &&
    Object.values(value).every(isText),
  stream: object({ name: isLine, type: isOneOf(...streamTypes), pointer: isLine }),
  sourceTime: isCount,
  needs: isSetOf(isPackageName),
} satisfies Shape;

/** Whether no two files have the same name, also where capitals do not count. */
export function haveOwnNames(artifacts: readonly { readonly file: string }[]): boolean {
  return new Set(artifacts.map(({ file }) => file.toLowerCase())).size === artifacts.length;
}
