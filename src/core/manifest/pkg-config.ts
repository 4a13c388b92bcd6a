import type { ManifestDependency, ManifestFormat } from './package-manifest.ts';

/** The pkg-config file of a C library, or the template it is made from (pkg-config's manual, "Metadata file syntax"). */
export const pkgConfigFormat: ManifestFormat = {
  read: (text, file) => {
    const field = (name: string) => new RegExp(`^${name}:[ \\t]*(.*?)[ \\t]*$`, 'm').exec(text)?.[1] ?? '';
    const version = field('Version');
    return {
      name: /([^/]+?)\.pc(?:\.in)?$/.exec(file)?.[1] ?? null,
      // A template's placeholder is filled in when it is built.
      version: /^\d/.test(version) ? version : null,
      description: field('Description') || null,
      licence: field('License') || null,
      dependencies: [...required(field('Requires')), ...required(field('Requires\\.private'))],
    };
  },
  stamp: (text, { version, ranges }) =>
    text.replace(/^(Version|Requires(?:\.private)?):(.*)$/gm, (line, key: string, value: string) => {
      if (key === 'Version') return version !== null && /\d/.test(value) ? line.replace(/\d\S*/, version) : line;
      return ranges.reduce((edited, { name, from, to }) => {
        const old = from === '' ? name : `${name} ${from}`;
        return edited.replace(
          new RegExp(`(?<![\\w.-])${old.replace(/[.*+?^${}()|[\]\\]/g, '\\$&').replace(/ /g, '\\s+')}(?![\\w.-])`),
          `${name} ${to}`,
        );
      }, line);
    }),
};

/** `a >= 1.2, b c = 3` is three packages. */
function required(text: string): ManifestDependency[] {
  return [...text.matchAll(/([A-Za-z0-9][\w.+-]*)(?:\s*(>=|<=|!=|=|<|>)\s*([^\s,]+))?/g)].map(
    ([, name = '', operator, version]) => ({
      name,
      range: operator === undefined ? '' : `${operator} ${version}`,
      kind: 'run',
    }),
  );
}
