import { filesIn } from '../../form/artifact.ts';
import type { RawFinding, Rule } from '../rule.ts';

export const partUnlisted: Rule = {
  id: 'dotnet/part-unlisted',
  forms: ['nupkg', 'snupkg'],
  severity: 'refuse',
  what: 'Every part has a content type, and the relationships point to the nuspec',
  why: 'Readers of the package format reject parts without a content type (ECMA-376 part 2, §7.2.3)',
  fix: 'Build it with `bevelstone build`, which writes both',
  example: 'runtimes/linux-x64/native/libharmonics.so and no type for "so"',
  check: (artifact) => {
    const { texts } = artifact;
    const types = texts.get('[Content_Types].xml') ?? '';
    const endings = new Set(
      [...types.matchAll(/\bExtension="([^"]+)"/g)].map((match) => (match[1] ?? '').toLowerCase()),
    );
    const parts = new Set([...types.matchAll(/\bPartName="([^"]+)"/g)].map((match) => (match[1] ?? '').toLowerCase()));
    const missing = new Map<string, string>();
    for (const { path } of filesIn(artifact)) {
      if (path === '[Content_Types].xml' || path === '.signature.p7s') continue;
      const ending = /\.([^./]+)$/.exec(path)?.[1]?.toLowerCase() ?? '';
      const isListed =
        endings.has(ending) || parts.has(`/${encodeURI(path)}`.toLowerCase()) || parts.has(`/${path}`.toLowerCase());
      if (!isListed && !missing.has(ending)) missing.set(ending, path);
    }
    const found = [...missing].map(
      ([ending, path]): RawFinding => ({
        path,
        message: `no content type for ${ending === '' ? 'files without extension' : `"${ending}"`}`,
      }),
    );
    const relations = texts.get('_rels/.rels');
    const target = /<Relationship\b[^>]*Type="[^"]*\/manifest"[^>]*>/
      .exec(relations ?? '')?.[0]
      .match(/Target="\/?([^"]+)"/)?.[1];
    if (relations === undefined) found.push({ path: null, message: '_rels/.rels is missing' });
    else if (
      target === undefined ||
      !artifact.entries.some(({ path }) => path === target || path === decodeURI(target))
    )
      found.push({ path: '_rels/.rels', message: 'it does not point to a nuspec in the package' });
    return found;
  },
};
