// The licence texts of everything that the bundle contains, as one file beside it.
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';

const isLicenceFile = (name) => /^(?:licen[cs]e|copying|notice)(?:[.-].*)?$/i.test(name);

/**
 * Third-party packages of a bundle, sorted by name and version.
 * @param inputs the paths that the bundler read, relative to the root.
 * @returns name, version, licence expression and licence texts of each.
 */
export function bundledPackages(root, inputs) {
  const folders = new Set(
    inputs.flatMap((input) => {
      const match = /^(.*node_modules\/(?:@[^/]+\/)?[^/]+)\//.exec(input);
      return match === null ? [] : [match[1]];
    }),
  );
  // One version may be installed in several folders.
  const packages = new Map(
    [...folders].map((folder) => describe(path.join(root, folder))).map((one) => [`${one.name} ${one.version}`, one]),
  );
  return [...packages.values()].sort((a, b) => compare(a.name, b.name) || compare(a.version, b.version));
}

const compare = (a, b) => (a < b ? -1 : a > b ? 1 : 0);

function describe(folder) {
  const { name, version, license, author } = JSON.parse(readFileSync(path.join(folder, 'package.json'), 'utf8'));
  const texts = readdirSync(folder)
    .filter(isLicenceFile)
    .sort()
    .map((file) => readFileSync(path.join(folder, file), 'utf8').trim());
  return { name, version, licence: license, author: typeof author === 'object' ? author.name : author, texts };
}

/** The notices file: equal texts appear once, below all packages that they belong to. */
export function formatNotices(packages) {
  const byText = new Map();
  for (const { name, version, licence, author, texts } of packages) {
    const stated = `The package contains no licence text. Its manifest says: ${licence}${author === undefined ? '' : `, by ${author}`}`;
    const text = texts.length === 0 ? stated : texts.join('\n\n');
    byText.set(text, [...(byText.get(text) ?? []), `${name} ${version} (${licence})`]);
  }
  const parts = [...byText].map(([text, names]) => `${names.join('\n')}\n\n${text}\n`);
  return `This program contains the following packages.\n\n${parts.join(`\n${'-'.repeat(72)}\n\n`)}`;
}

/** What is bundled as a CycloneDX 1.6 document (ECMA-424), which the SBOM of a release takes over. */
export function formatBundled(packages) {
  const components = packages.map(({ name, version, licence }) => {
    const [scope, plain] = name.startsWith('@') ? name.split('/') : [null, name];
    const purl = `pkg:npm/${scope === null ? '' : `${encodeURIComponent(scope)}/`}${plain}@${version}`;
    const licences = licence === undefined ? {} : { licenses: [{ expression: licence }] };
    return {
      'bom-ref': purl,
      type: 'library',
      ...(scope && { group: scope }),
      name: plain,
      version,
      purl,
      ...licences,
    };
  });
  return `${JSON.stringify({ bomFormat: 'CycloneDX', specVersion: '1.6', version: 1, components }, null, 1)}\n`;
}
