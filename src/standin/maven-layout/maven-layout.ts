import {
  isSnapshot,
  parseSnapshotMetadata,
  parseVersionMetadata,
} from '../../core/protocol/maven-layout/maven-layout.ts';
import { hashFile } from '../../world/file-bytes.ts';
import { exists, readTextIfThere, removeFile, writeWhole } from '../../world/files.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  askUpstream,
  bodyOf,
  type Call,
  partsOf,
  passOn,
  plainService,
  roomOf,
  type StandinService,
  sendFile,
  textOfBody,
} from '../service.ts';
import { checkConditions, tagOf } from '../tagged.ts';

const prefix = '/maven/';
const repositories = ['releases', 'snapshots'];
const partPattern = /^[A-Za-z0-9_.+-]+$/;
const digestEnding = /\.(md5|sha1|sha256|sha512)$/;

/** Two repositories in Maven's layout, `/maven/releases/` and `/maven/snapshots/`. */
export const mavenLayout: StandinService = {
  ...plainService,
  path: 'maven/',
  address: 'maven/',
  serve: (server, service) => {
    server.route({
      method: ['GET', 'HEAD', 'PUT', 'DELETE'],
      url: `${prefix}*`,
      handler: (request, reply) => route({ ...service, request, reply }),
    });
  },
};

async function route(call: Call): Promise<unknown> {
  const { request, store, guard, reply } = call;
  const parts = partsOf(request, prefix).parts.map(decodePart);
  const [repository = '', ...path] = parts;
  if (!repositories.includes(repository)) throw new Refusal(404, 'there are the repositories releases and snapshots');
  if (path.join('') === '' && (request.method === 'GET' || request.method === 'HEAD')) {
    guard.read(request);
    return reply.send(`${repository}\n`);
  }
  if (path.some((part) => !partPattern.test(part) || /^\.+$/.test(part))) throw new Refusal(404, 'not found');
  const place = store.place(...parts);
  if (request.method === 'GET' || request.method === 'HEAD') {
    guard.read(request);
    const text = isMetadata(path.at(-1) ?? '') ? await readTextIfThere(place) : null;
    if (text === null && !(await exists(place))) {
      const found = await askUpstream(call, path.join('/'));
      if (found !== null) return passOn(call, found);
    }
    if (text !== null) return reply.header('etag', tagOf(text)).type('application/xml').send(text);
    return sendFile(call, place);
  }
  const file = fileOf(path);
  guard.write(request, file.artifactId, `${file.groupId}:${file.artifactId}`);
  if (request.method === 'DELETE') {
    if (!(await exists(place))) throw new Refusal(404, 'not found');
    await removeFile(place);
    return reply.code(204).send();
  }
  await put(call, repository, { path, place });
  return reply.code(201).send('');
}

async function put(
  call: Call,
  repository: string,
  { path, place }: { readonly path: readonly string[]; readonly place: string },
): Promise<void> {
  const { request, store, maxBytes } = call;
  const name = path.at(-1) ?? '';
  const ending = digestEnding.exec(name)?.[1];
  if (ending !== undefined) return putDigest(call, place, ending);
  if (isMetadata(name)) {
    const text = await textOfBody(request);
    if (parseVersionMetadata(text) === null && parseSnapshotMetadata(text) === null)
      throw new Refusal(400, 'this is not valid metadata');
    return store.alone(place, async () => {
      await checkConditions(request, place);
      await writeWhole(place, text);
    });
  }
  const { version, artifactId } = fileOf(path);
  if (isSnapshot(version) !== (repository === 'snapshots'))
    throw new Refusal(400, `${repository} does not take ${version}`);
  // A snapshot's file has its own time and number where the version says SNAPSHOT.
  const inName = version.replace(/SNAPSHOT$/, '\u0000');
  const pattern = new RegExp(
    `^${escapePattern(`${artifactId}-${inName}`).replace('\u0000', '\\d{8}\\.\\d{6}-\\d+')}[.-]`,
  );
  if (!pattern.test(name)) throw new Refusal(400, `${name} is not a file name for ${artifactId} ${version}`);
  const received = await store.receive(bodyOf(request), { maxBytes, ...roomOf(call) });
  if (!(await store.commit(received, place))) throw new Refusal(409, `${name} is there already and is never replaced`);
}

/** A digest has to be that of the file beside it. */
async function putDigest({ request }: Call, place: string, algorithm: string): Promise<void> {
  const text = (await textOfBody(request, 1000)).trim();
  const ending = `%2E${algorithm}`;
  const subject = place.endsWith(ending) ? place.slice(0, -ending.length) : '';
  if (!(await exists(subject))) throw new Refusal(409, 'there is no file for this digest');
  if ((await hashFile(subject, algorithm)) !== text.toLowerCase())
    throw new Refusal(400, `the ${algorithm} is not that of the file`);
  await writeWhole(place, text);
}

type FileAt = { readonly groupId: string; readonly artifactId: string; readonly version: string };

/** What a path is about: the metadata of an artifact or a version, or a file of a version. */
function fileOf(path: readonly string[]): FileAt {
  const name = (path.at(-1) ?? '').replace(digestEnding, '');
  const isOfArtifact = isMetadata(name) && !isSnapshot(path.at(-2) ?? '');
  const folder = path.slice(0, isOfArtifact ? -1 : -2);
  const version = isOfArtifact ? '' : (path.at(-2) ?? '');
  if (folder.length < 2) throw new Refusal(400, 'a path has a group, an artifact, a version and a file');
  const artifactId = folder.at(-1) ?? '';
  const groupId = folder.slice(0, -1).join('.');
  return { groupId, artifactId, version };
}

function isMetadata(name: string): boolean {
  return name === 'maven-metadata.xml';
}

function escapePattern(text: string): string {
  return text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
}
