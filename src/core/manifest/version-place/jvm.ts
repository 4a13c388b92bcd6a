import { type FindPlaces, foldersUp, inside, type PlaceSearch, placeByPattern, type VersionPlace } from './place.ts';

/**
 * Where Maven and Gradle keep a version that the POM of the package does not have itself: the parent's, the property behind
 * `${revision}` (Maven, "CI Friendly Versions"), `version =` of a build script, `gradle.properties`.
 */
export const findJvmPlaces: FindPlaces = async (search) => {
  const { manifestPath, read } = search;
  const pom = manifestPath?.endsWith('pom.xml') === true ? await read(manifestPath) : null;
  return pom === null || manifestPath === null ? findGradle(search) : findMaven(search, manifestPath, pom);
};

const parentBlock = /<parent>[\s\S]*?<\/parent>/;

async function findMaven(search: PlaceSearch, file: string, pom: string): Promise<VersionPlace[]> {
  const { folder, files, read } = search;
  const own = projectVersion(pom);
  const parent = parentVersion(pom);
  const places: VersionPlace[] = [];
  const declared = own ?? parent;
  // The reference to the parent follows the parent, whether the project has a version of its own or not.
  if (own === null && parent !== null && !parent.includes('${')) places.push(parentReference(file, true));
  for (const above of foldersUp(folder).slice(own === null ? 0 : foldersUp(folder).length)) {
    const candidate = inside(above, 'pom.xml');
    if (candidate === file || !files.has(candidate)) continue;
    const text = (await read(candidate)) ?? '';
    if (projectVersion(text)?.includes('${') === false)
      places.push(projectPlace(candidate, parent !== null && !parent.includes('${')));
  }
  const parents = [file, ...places.filter(({ what }) => what.startsWith('<version>')).map((place) => place.file)];
  for (const above of own === null ? parents.slice(1) : parents)
    places.push(...(await childReferences(search, above, file)));
  if (declared?.includes('${') !== true) return places;
  const names = [...declared.matchAll(/\$\{(\w[\w.-]*)\}/g)].map(([, name]) => name ?? '');
  for (const above of foldersUp(folder)) {
    const candidate = inside(above, 'pom.xml');
    if (!files.has(candidate)) continue;
    const text = (await read(candidate)) ?? '';
    places.push(...names.map((name) => propertyPlace(candidate, name)).filter((place) => place.read(text) !== null));
  }
  return places;
}

function parentReference(file: string, isSource: boolean): VersionPlace {
  return placeByPattern(
    { file, what: 'version of <parent>', isSource },
    /(?<before><parent>(?:(?!<\/parent>)[\s\S])*?<version>\s*)(?<version>[^<$\s]+)(?<after>\s*<\/version>)/,
  );
}

/** References of other modules to a parent: they follow it, whether they are released or not. */
async function childReferences({ files, read }: PlaceSearch, parent: string, own: string): Promise<VersionPlace[]> {
  const text = (await read(parent)) ?? '';
  const [artifact, version] = [artifactOf(text), projectVersion(text)];
  const found: VersionPlace[] = [];
  for (const file of files) {
    if (file === parent || file === own || !/(?:^|\/)pom\.xml$/.test(file)) continue;
    const block = parentBlock.exec((await read(file)) ?? '')?.[0] ?? '';
    if (artifactOf(block) === artifact && parentVersion(block) === version) found.push(parentReference(file, false));
  }
  return found;
}

/** The artifact that a POM describes, or that a parent block names. */
function artifactOf(text: string): string | null {
  const own = text.startsWith('<parent>') ? text : text.replace(parentBlock, '');
  return /<artifactId>\s*([^<\s]+)/.exec(own.split('<dependencies>')[0] ?? '')?.[1] ?? null;
}

/** The version of the project itself: not that of its parent, a dependency or a plugin. */
function projectVersion(pom: string): string | null {
  const head =
    pom
      .replace(parentBlock, '')
      .split(/<(?:dependencies|dependencyManagement|build|profiles|modules|properties|licenses)>/)[0] ?? '';
  return /<version>\s*([^<\s]+)\s*<\/version>/.exec(head)?.[1] ?? null;
}

function parentVersion(pom: string): string | null {
  return /<version>\s*([^<\s]+)\s*<\/version>/.exec(parentBlock.exec(pom)?.[0] ?? '')?.[1] ?? null;
}

function projectPlace(file: string, isSource: boolean): VersionPlace {
  return {
    file,
    what: '<version> of the parent',
    isSource,
    read: projectVersion,
    stamp: (text, { spelt }) => {
      const version = projectVersion(text);
      if (version === null) return text;
      const start = text.search(parentBlock);
      const end = start === -1 ? 0 : start + (parentBlock.exec(text)?.[0].length ?? 0);
      const [before, behind] = start === -1 ? ['', text] : [text.slice(0, end), text.slice(end)];
      // A version in front of the parent block is rare, and found first.
      const own = /(<version>\s*)[^<\s]+(\s*<\/version>)/;
      const head = start === -1 ? '' : text.slice(0, start);
      if (own.test(head)) return head.replace(own, `$1${spelt}$2`) + text.slice(start);
      return before + behind.replace(own, `$1${spelt}$2`);
    },
  };
}

function propertyPlace(file: string, name: string): VersionPlace {
  const tag = name.replace(/[.\\-]/g, '\\$&');
  return placeByPattern(
    { file, what: `the property ${name}`, isSource: true },
    new RegExp(
      `(?<before><properties>(?:(?!</properties>)[\\s\\S])*?<${tag}>\\s*)(?<version>[^<$\\s]+)(?<after>\\s*</${tag}>)`,
    ),
  );
}

async function findGradle({ folder, files, read }: PlaceSearch): Promise<VersionPlace[]> {
  const found: VersionPlace[] = [];
  for (const above of foldersUp(folder)) {
    for (const name of ['build.gradle.kts', 'build.gradle']) {
      const file = inside(above, name);
      const place = placeByPattern(
        { file, what: 'version =', isSource: true },
        /(?<before>^[ \t]*(?:project\.)?version[ \t]*=?[ \t]*(?<quote>["']))(?<version>\d[^"'$\n]*)(?<after>\k<quote>)/m,
      );
      if (files.has(file) && place.read((await read(file)) ?? '') !== null) found.push(place);
    }
    const properties = inside(above, 'gradle.properties');
    const place = placeByPattern(
      { file: properties, what: 'version=', isSource: true },
      /(?<before>^[ \t]*(?:version|VERSION_NAME|projectVersion)[ \t]*[=:][ \t]*)(?<version>\d\S*)(?<after>)/m,
    );
    if (files.has(properties) && place.read((await read(properties)) ?? '') !== null) found.push(place);
    if (found.length > 0) return found;
  }
  return found;
}
