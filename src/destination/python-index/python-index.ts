import { randomBytes } from 'node:crypto';
import { BevelstoneError } from '../../core/error/bevelstone-error.ts';
import { normaliseName } from '../../core/manifest/normalise-name.ts';
import { encodeForm } from '../../core/protocol/multipart.ts';
import {
  indexAccept,
  type ProjectIndex,
  parseProject,
  uploadFields,
} from '../../core/protocol/python-index/python-index.ts';
import { withSlash } from '../../core/protocol/traits.ts';
import { type Connection, webOf } from '../../store/connection.ts';
import type { Access, ListedParcel, NameState, Parcel, Presence, Subject } from '../../store/parcel.ts';
import { callText, expectDone, openAddress, refused, unexpectedAnswer, type Web } from '../../store/web.ts';
import { sentBytes } from '../../world/sent-file.ts';
import { type Destination, makeDestination, type Sending, type Withdrawal } from '../destination.ts';
import { accessByEmptyForm } from '../empty-form.ts';
import { surrounded } from '../surrounded.ts';

/** What is known of an index: where uploads go, and where readers look, with `/` behind. */
type Index = { readonly web: Web; readonly url: string; readonly readUrl: string };

/** An index of Python packages: the upload interface and the Simple Repository API. */
export function connectPythonIndex(connection: Connection): Destination {
  const { name, config, url, indexUrl } = connection;
  const readUrl = withSlash(indexUrl ?? `${withSlash(url)}simple`);
  const index: Index = { web: webOf(connection), url, readUrl };
  return makeDestination({ name, speaks: config.speaks, over: config.over, url: readUrl }, index, {
    access,
    nameState,
    find,
    deliver,
    open,
    isListed,
    point: async () => [],
    fallBack: async () => [],
    withdraw,
  });
}

async function fetchProject({ readUrl, web }: Index, name: string): Promise<ProjectIndex | null> {
  const address = `${readUrl}${normaliseName(name)}/`;
  const answer = await callText(web, { method: 'GET', url: address, headers: { accept: indexAccept } });
  if (answer.status === 404) return null;
  if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
  const project = parseProject(answer.text, String(answer.headers['content-type'] ?? ''), address);
  if (project !== null) return project;
  throw unexpectedAnswer(web.name, 'its answer for the project is not an index page', readUrl);
}

async function find(index: Index, parcel: Parcel): Promise<Presence> {
  const there = (await fetchProject(index, parcel.name))?.files.find(({ filename }) => filename === parcel.fileName);
  if (there === undefined) return { type: 'absent' };
  if (there.sha256 === parcel.sha256) return { type: 'same', address: there.url };
  const why = `its SHA-256 is ${there.sha256?.slice(0, 12) ?? 'unknown'}…, ours ${parcel.sha256.slice(0, 12)}…`;
  return { type: 'different', why };
}

async function deliver(index: Index, parcel: Parcel, { moved }: Sending): Promise<string> {
  const { web, url, readUrl } = index;
  const { before, behind, contentType } = encodeForm(
    uploadFields({
      fields: parcel.manifest ?? {},
      description: parcel.readme,
      fileName: parcel.fileName,
      sha256: parcel.sha256,
    }),
    { field: 'content', fileName: parcel.fileName, contentType: 'application/octet-stream' },
    randomBytes(15).toString('hex'),
  );
  const body = {
    chunks: surrounded(before, sentBytes(parcel, moved), behind),
    sizeBytes: before.length + parcel.sizeBytes + behind.length,
  };
  const answer = await callText(web, { method: 'POST', url, headers: { 'content-type': contentType }, body });
  expectDone(web, parcel.fileName, answer);
  const found = await find(index, parcel);
  if (found.type === 'different') throw unexpectedAnswer(web.name, found.why, readUrl);
  // Some indexes list a file only after a while; where it will lie is asked again when it is confirmed.
  return found.type === 'same' ? found.address : `${readUrl}${normaliseName(parcel.name)}/#${parcel.fileName}`;
}

async function open(index: Index, address: string): Promise<AsyncIterable<Uint8Array>> {
  const { web, readUrl } = index;
  const [page, fileName] = address.split('#');
  if (fileName === undefined) return openAddress(web, address);
  const project = await fetchProject(index, page?.split('/').at(-2) ?? '');
  const file = project?.files.find(({ filename }) => filename === fileName);
  if (file !== undefined) return openAddress(web, file.url);
  throw unexpectedAnswer(web.name, `the index does not list ${fileName} yet`, readUrl);
}

async function isListed(index: Index, parcel: ListedParcel): Promise<string | true> {
  const file = (await fetchProject(index, parcel.name))?.files.find(({ filename }) => filename === parcel.fileName);
  if (file === undefined) return `the index does not list ${parcel.fileName} yet`;
  return file.yanked === false || `it is yanked${file.yanked === '' ? '' : `: ${file.yanked}`}`;
}

function access({ web, url }: Index): Promise<Access> {
  return accessByEmptyForm(web, { method: 'POST', url, fields: [[':action', 'file_upload']] });
}

async function nameState(index: Index, { name, spellings, version }: Subject): Promise<NameState> {
  const project = await fetchProject(index, name);
  if (project === null) return { nameState: 'free', versionState: 'free', why: null } as const;
  const spelt = spellings.python ?? version;
  const start = `${normaliseName(name)}-${spelt}`.replaceAll('-', '_');
  const isOurs = (file: string) => file.startsWith(`${start}_`) || file === `${start}.tar.gz`;
  const isThere =
    project.versions.includes(spelt) ||
    project.files.some(({ filename }) => isOurs(filename.toLowerCase().replaceAll('-', '_')));
  const why = 'an index does not tell whose a project is';
  return { nameState: 'unknown', versionState: isThere ? 'there' : 'free', why } as const;
}

async function withdraw({ web }: Index, { name, version, spellings }: Subject): Promise<Withdrawal> {
  throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
    message: `${web.name} cannot yank ${name} ${version} for us`,
    why: "the upload interface has no yank; indexes offer it on the project's page",
    fix: `Yank ${spellings.python ?? version} on that page (PEP 592): installers then skip it unless it is pinned`,
  });
}
