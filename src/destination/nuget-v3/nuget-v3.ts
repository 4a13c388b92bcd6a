import { randomBytes } from 'node:crypto';
import { isBevelstoneError } from '../../core/error/bevelstone-error.ts';
import { encodeForm } from '../../core/protocol/multipart.ts';
import {
  flatPath,
  type NugetServices,
  normaliseNugetVersion,
  parseFlatVersions,
  parseRegistration,
  parseServiceIndex,
  type RegistrationLeaf,
} from '../../core/protocol/nuget-v3/nuget.ts';
import type { Access, Destination, Parcel, Presence, Subject } from '../destination.ts';
import { accessByEmptyForm } from '../empty-form.ts';
import { presenceAt } from '../http-files.ts';
import { parcelBytes } from '../parcel-bytes.ts';
import { surrounded } from '../python-index/python-index.ts';
import { callText, expectDone, isDone, openAddress, parseJson, refused, strangeAnswer, type Web } from '../web.ts';

/** A server of .NET packages: `url` is its service index. */
export function nugetV3({ web, url }: { readonly web: Web; readonly url: string }): Destination {
  let asked: Promise<NugetServices> | null = null;
  const services = () => {
    asked ??= readServices();
    return asked;
  };
  const readServices = async (): Promise<NugetServices> => {
    const answer = await callText(web, { method: 'GET', url });
    if (answer.status !== 200) throw refused(web, 'the service index', answer);
    const found = parseServiceIndex(parseJson(answer.text));
    if (found !== null) return found;
    throw strangeAnswer(web.name, 'what lies there is no service index', url);
  };
  const resource = async (kind: keyof NugetServices): Promise<string> => {
    const address = (await services())[kind];
    if (address !== null) return address;
    throw strangeAnswer(web.name, `its service index names no resource for ${kind}`, url);
  };
  const versionOf = ({ spellings, version }: Subject) => spellings.nuget ?? version;
  const addressOf = async (subject: Subject) =>
    `${await resource('flat')}${flatPath(subject.name, versionOf(subject))}`;

  /** Versions that can be fetched; empty when the name is unknown. */
  const fetchVersions = async (name: string): Promise<string[]> => {
    const answer = await callText(web, {
      method: 'GET',
      url: `${await resource('flat')}${name.toLowerCase()}/index.json`,
    });
    if (answer.status === 404) return [];
    if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
    const versions = parseFlatVersions(parseJson(answer.text));
    if (versions !== null) return versions;
    throw strangeAnswer(web.name, 'what it sent is no list of versions', url);
  };

  /** Versions as the index of readers has them, over all its pages. */
  const fetchLeaves = async (name: string): Promise<RegistrationLeaf[]> => {
    const read = async (address: string): Promise<RegistrationLeaf[]> => {
      const answer = await callText(web, { method: 'GET', url: address });
      if (answer.status === 404) return [];
      if (answer.status !== 200) throw refused(web, `the question for ${name}`, answer);
      const found = parseRegistration(parseJson(answer.text));
      if (found === null) throw strangeAnswer(web.name, 'what it sent is no registration', address);
      const others = await Promise.all(found.pages.map(read));
      return [...found.leaves, ...others.flat()];
    };
    return read(`${await resource('registrations')}${name.toLowerCase()}/index.json`);
  };

  const find = async (parcel: Parcel): Promise<Presence> => {
    // Symbols are never given back by this protocol: whether they are there shows when they are sent again.
    if (parcel.form === 'snupkg') return { type: 'absent' };
    return presenceAt(web, await addressOf(parcel), parcel);
  };

  const deliver: Destination['deliver'] = async (parcel, { moved }) => {
    const isSymbols = parcel.form === 'snupkg';
    const target = await resource(isSymbols ? 'symbols' : 'push');
    const file = { field: 'package', fileName: parcel.fileName, contentType: 'application/octet-stream' };
    const { before, behind, contentType } = encodeForm([], file, randomBytes(15).toString('hex'));
    const answer = await callText(web, {
      method: 'PUT',
      url: target,
      headers: { 'content-type': contentType, 'x-nuget-protocol-version': '4.1.0' },
      body: {
        chunks: surrounded(before, parcelBytes(parcel, moved), behind),
        sizeBytes: before.length + parcel.sizeBytes + behind.length,
      },
    });
    if (isSymbols && answer.status === 409) return `${target}#${parcel.fileName}`;
    expectDone(web, parcel.fileName, answer);
    return isSymbols ? `${target}#${parcel.fileName}` : addressOf(parcel);
  };

  const isListed: Destination['isListed'] = async (parcel) => {
    if (parcel.fileName.endsWith('.snupkg')) return true;
    const wanted = normaliseNugetVersion(versionOf(parcel));
    if (!(await fetchVersions(parcel.name)).includes(wanted))
      return 'it is accepted, and still being checked over there';
    const leaf = (await fetchLeaves(parcel.name)).find(({ version }) => normaliseNugetVersion(version) === wanted);
    if (leaf === undefined) return 'it can be fetched, and the index of readers does not have it yet';
    return leaf.isListed || 'it is unlisted';
  };

  /** A form without a package can't publish anything: the key is looked at first. */
  const access: Destination['access'] = async (): Promise<Access> => {
    try {
      await services();
    } catch (error) {
      if (!isBevelstoneError(error, 'CREDENTIAL_REFUSED')) throw error;
      return { credential: 'refused', why: error.why, opens: 'unknown', skewMs: null };
    }
    return accessByEmptyForm(web, { method: 'PUT', url: await resource('push'), fields: [] });
  };

  const nameState = async (subject: Subject) => {
    const versions = await fetchVersions(subject.name);
    if (versions.length === 0) return { nameState: 'free', versionState: 'free', why: null } as const;
    const isThere = versions.includes(normaliseNugetVersion(versionOf(subject)));
    const why = 'the protocol does not tell whose a package is';
    return { nameState: 'unknown', versionState: isThere ? 'there' : 'free', why } as const;
  };

  /** Unlists: searches pass it over, whoever names the version still gets it ("Push and Delete: Delete a package"). */
  const withdraw: Destination['withdraw'] = async (subject) => {
    const address = `${await resource('push')}/${encodeURIComponent(subject.name)}/${encodeURIComponent(versionOf(subject))}`;
    const answer = await callText(web, { method: 'DELETE', url: address });
    if (!isDone(answer.status) && answer.status !== 404) throw refused(web, `to unlist ${subject.name}`, answer);
    return {
      how: 'unlisted',
      limits: 'whoever names exactly this version still gets it, and no reason is shown there',
    };
  };

  const { name } = web;
  const open: Destination['open'] = (address) => openAddress(web, address);
  return {
    name,
    speaks: 'nuget-v3',
    url,
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
