import { fileNameOf } from '../../form/placeholder.ts';
import { fill } from '../address-template.ts';

/** What the refs of a release are named after. */
type Named = { readonly packageName: string; readonly name: string; readonly version: string };

/** The branch that has one commit for each release of a package. */
export function distBranch({ packageName }: Pick<Named, 'packageName'>): string {
  return `refs/heads/dist/${fileNameOf(packageName)}`;
}

/** The tag of a release. @param under its template, `under` of the destination. */
export function distTag(under: string, named: Named): string {
  return `refs/tags/${fill(under, { ...named, packageName: fileNameOf(named.packageName) })}`;
}

/** Trailers that link a commit to what it was made of. */
const trailers = { source: 'Source-Commit', artifact: 'Source-Artifact' } as const;

/** The message of the commit of a release. */
export function distMessage(
  facts: Named & { readonly commit: string; readonly fileName: string; readonly sha256: string },
): string {
  const { packageName, version, commit, fileName, sha256 } = facts;
  return `${packageName} ${version}\n\n${trailers.source}: ${commit}\n${trailers.artifact}: ${fileName} sha256:${sha256}\n`;
}

/** What the message of a commit says of its artifact; null where it says nothing. */
export function readDistMessage(message: string): { readonly fileName: string; readonly sha256: string } | null {
  const [, fileName, sha256] =
    new RegExp(`^${trailers.artifact}: (.+) sha256:([0-9a-f]{64})$`, 'm').exec(message) ?? [];
  return fileName === undefined || sha256 === undefined ? null : { fileName, sha256 };
}

/** An address on record: the repository, and the tag behind `#`. */
export function distAddress(url: string, tag: string): string {
  return `${url}#${tag.replace(/^refs\/tags\//, '')}`;
}
