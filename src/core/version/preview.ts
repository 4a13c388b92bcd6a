/** What a preview version is made of (docs/design/versions.md, step 21). */
export type PreviewParts = {
  readonly core: string;
  readonly label: string;
  readonly commits: number;
  readonly commit: string;
  readonly dirty: boolean;
};

/** `1.5.0-0.preview.fix-tides.4+3f2c9e1`: the leading numeric 0 sorts below every labelled prerelease (SemVer 2.0.0 §11.4.3). */
export function formatPreview({ core, label, commits, commit, dirty }: PreviewParts): string {
  return `${core}-0.preview.${label}.${commits}+${commit.slice(0, 7)}${dirty ? '.dirty' : ''}`;
}

/** The commit count and short commit of a preview version, or null for any other version. */
export function parsePreview(version: string): { core: string; commits: string; commit: string } | null {
  const match = /^([^-]+)-0\.preview\.[0-9a-z-]+\.(\d+)\+([0-9a-f]+)(?:\.dirty)?$/.exec(version);
  return match === null ? null : { core: match[1] ?? '', commits: match[2] ?? '', commit: match[3] ?? '' };
}
