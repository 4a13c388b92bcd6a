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
import type { Destination, Parcel, Presence, Subject } from '../destination.ts';
import { accessByEmptyForm } from '../empty-form.ts';
import { md5Of, parcelBytes } from '../parcel-bytes.ts';
import { callText, expectDone, openAddress, refused, strangeAnswer, type Web } from '../web.ts';

/** Where an index is. */
export type PythonIndexSettings = {
  readonly web: Web;
  /** Where uploads go. */
  readonly url: string;
  /** Where readers look; null for `simple/` below. */
  readonly indexUrl: string | null;
};

/** An index of Python packages: the upload interface and the Simple Repository API. */
export function pythonIndex({ web, url, indexUrl }: PythonIndexSettings): Destination {
  const index = withSlash(indexUrl ?? `${withSlash(url)}simple`);

  const fetchProject = async (name: string): Promise<ProjectIndex | null> => {
    const address = `${index}${normaliseName(name)}/`;
    const answer = await callText(web, { method: 'GET', url: address, headers: { accept: indexAccept } });
    if (answer.status === 404) return null;
    if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
    const project = parseProject(answer.text, String(answer.headers['content-type'] ?? ''), address);
    if (project !== null) return project;
    throw strangeAnswer(web.name, 'what it sent for the project is no index page', index);
  };

  const find = async (parcel: Parcel): Promise<Presence> => {
    const there = (await fetchProject(parcel.name))?.files.find(({ filename }) => filename === parcel.fileName);
    if (there === undefined) return { type: 'absent' };
    if (there.sha256 === parcel.sha256) return { type: 'same', address: there.url };
    const why = `its SHA-256 is ${there.sha256?.slice(0, 12) ?? 'not told'}…, ours ${parcel.sha256.slice(0, 12)}…`;
    return { type: 'different', why };
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    const { before, behind, contentType } = encodeForm(
      uploadFields({
        fields: parcel.manifest ?? {},
        description: parcel.readme,
        fileName: parcel.fileName,
        sha256: parcel.sha256,
        md5: await md5Of(parcel.file),
      }),
      { field: 'content', fileName: parcel.fileName, contentType: 'application/octet-stream' },
      randomBytes(15).toString('hex'),
    );
    const body = {
      chunks: surrounded(before, parcelBytes(parcel, moved), behind),
      sizeBytes: before.length + parcel.sizeBytes + behind.length,
    };
    const answer = await callText(web, { method: 'POST', url, headers: { 'content-type': contentType }, body });
    expectDone(web, parcel.fileName, answer);
    const found = await find(parcel);
    if (found.type === 'different') throw strangeAnswer(web.name, found.why, index);
    // Some indexes list a file only after a while; where it will lie is asked again when it is confirmed.
    return found.type === 'same' ? found.address : `${index}${normaliseName(parcel.name)}/#${parcel.fileName}`;
  };

  const open: Destination['open'] = async (address) => {
    const [page, fileName] = address.split('#');
    if (fileName === undefined) return openAddress(web, address);
    const project = await fetchProject(page?.split('/').at(-2) ?? '');
    const file = project?.files.find(({ filename }) => filename === fileName);
    if (file !== undefined) return openAddress(web, file.url);
    throw strangeAnswer(web.name, `the index does not list ${fileName} yet`, index);
  };

  const isListed: Destination['isListed'] = async (parcel) => {
    const file = (await fetchProject(parcel.name))?.files.find(({ filename }) => filename === parcel.fileName);
    if (file === undefined) return `the index does not list ${parcel.fileName} yet`;
    return file.yanked === false || `it is yanked${file.yanked === '' ? '' : `: ${file.yanked}`}`;
  };

  const access: Destination['access'] = () =>
    accessByEmptyForm(web, { method: 'POST', url, fields: [[':action', 'file_upload']] });

  const nameState = async ({ name, spellings, version }: Subject) => {
    const project = await fetchProject(name);
    if (project === null) return { nameState: 'free', versionState: 'free', why: null } as const;
    const spelt = spellings.python ?? version;
    const start = `${normaliseName(name)}-${spelt}`.replaceAll('-', '_');
    const isOurs = (file: string) => file.startsWith(`${start}_`) || file === `${start}.tar.gz`;
    const isThere =
      project.versions.includes(spelt) ||
      project.files.some(({ filename }) => isOurs(filename.toLowerCase().replaceAll('-', '_')));
    const why = 'an index does not tell whose a project is';
    return { nameState: 'unknown', versionState: isThere ? 'there' : 'free', why } as const;
  };

  const withdraw: Destination['withdraw'] = async ({ name, version, spellings }) => {
    throw new BevelstoneError('WITHDRAW_IMPOSSIBLE', {
      message: `${web.name} cannot be asked to take ${name} ${version} back`,
      why: 'the upload interface has no way to yank a release; indexes offer that on the page of the project',
      fix: `Yank ${spellings.python ?? version} on that page (PEP 592): installers then pass it over unless it is pinned`,
    });
  };

  const { name } = web;
  return {
    name,
    speaks: 'python-index',
    url: index,
    access,
    nameState,
    find,
    deliver,
    open,
    isListed,
    point: async () => [],
    withdraw,
  };
}

/** Bytes with something before and behind them. */
export async function* surrounded(
  before: Uint8Array,
  middle: AsyncIterable<Uint8Array>,
  behind: Uint8Array,
): AsyncGenerator<Uint8Array> {
  yield before;
  yield* middle;
  yield behind;
}

function withSlash(url: string): string {
  return url.endsWith('/') ? url : `${url}/`;
}
