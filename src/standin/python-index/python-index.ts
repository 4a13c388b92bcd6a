import type { FastifyReply, FastifyRequest } from 'fastify';
import { normaliseName } from '../../core/manifest/normalise-name.ts';
import {
  formatProjectHtml,
  formatProjectJson,
  formatProjectList,
  indexTypes,
  type ProjectIndex,
  parseProject,
} from '../../core/protocol/python-index/python-index.ts';
import { readText } from '../../world/http.ts';
import { type ReceivedForm, receiveForm } from '../form.ts';
import { decodePart, Refusal } from '../refusal.ts';
import {
  askUpstream,
  baseOf,
  type Call,
  partsOf,
  plainService,
  roomOf,
  type StandinService,
  sendFile,
  textOfBody,
} from '../service.ts';
import { readPythonPage } from './python-page.ts';
import type { StoredProject } from './stored-project.ts';

const prefix = '/python/';
// PEP 440, Appendix B, as an index checks it: normalised public versions, and local ones, which it refuses.
const versionPattern = /^(?:\d+!)?\d+(?:\.\d+)*(?:(?:a|b|rc)\d+)?(?:\.post\d+)?(?:\.dev\d+)?$/;
const namePattern = /^[a-z0-9](?:[a-z0-9._-]*[a-z0-9])?$/i;

/** An index below `/python/`: uploads as POST to it, reading at `simple/`. */
export const pythonIndex: StandinService = {
  ...plainService,
  readPage: readPythonPage,
  path: 'python/',
  address: 'python/',
  serve: (server, service) => {
    const withCall = (handle: (call: Call) => Promise<unknown>) => (request: FastifyRequest, reply: FastifyReply) =>
      handle({ ...service, request, reply });
    server.route({ method: 'POST', url: prefix, handler: withCall(upload) });
    server.route({ method: ['GET', 'HEAD'], url: `${prefix}*`, handler: withCall(read) });
    server.route({ method: 'PUT', url: `${prefix}yanked/*`, handler: withCall(yank) });
  },
};

async function upload(call: Call): Promise<unknown> {
  const { guard, request, store, maxBytes, reply } = call;
  // Whose the project is shows only in the form; a request without any token need not be read.
  if (guard.tokenOf(request)?.may !== 'write') guard.write(request);
  const form = await receiveForm(request, store, {
    digests: ['md5', 'sha256'],
    maxBytes,
    ...roomOf(call),
  });
  try {
    const name = normaliseName(field(form, 'name'));
    guard.write(request, name, field(form, 'name'));
    await store.alone(name, () => take(call, name, form));
    return reply.send('');
  } finally {
    for (const file of form.files.values()) await store.discard(file);
  }
}

async function take(call: Call, name: string, form: ReceivedForm): Promise<void> {
  const { store, now, faults, request } = call;
  const content = form.files.get('content');
  const version = field(form, 'version');
  if (field(form, ':action') !== 'file_upload') throw new Refusal(400, 'unknown action');
  if (field(form, 'protocol_version') !== '1') throw new Refusal(400, 'unknown protocol version');
  if (!namePattern.test(field(form, 'name'))) throw new Refusal(400, `${field(form, 'name')} is not a project name`);
  if (!versionPattern.test(version))
    throw new Refusal(400, `${version} is not a version that an index accepts (PEP 440)`);
  if (!/^[12]\.\d$/.test(field(form, 'metadata_version'))) throw new Refusal(400, 'metadata_version is missing');
  if (content === undefined || content.sizeBytes === 0) throw new Refusal(400, 'the form has no content');
  const { fileName, digests, sizeBytes } = content;
  const expected = field(form, 'sha256_digest') || field(form, 'md5_digest');
  const found = field(form, 'sha256_digest') === '' ? digests['md5'] : digests['sha256'];
  if (expected === '') throw new Refusal(400, 'a digest is needed');
  if (expected !== found) throw new Refusal(400, 'the digest of the form is not that of the content');
  const type = field(form, 'filetype');
  if (!isFileOf({ fileName, name, version, type }))
    throw new Refusal(400, `${fileName} is not a file name for ${name} ${version}`);
  const before = await store.readJson<StoredProject>(name, 'project');
  if (before?.files.some(({ filename }) => filename === fileName))
    throw new Refusal(400, `File already exists: ${fileName}`);
  await store.replace(content, store.place(name, fileName));
  const at = now();
  const hideMs = faults.take('hide', request)?.ms ?? 0;
  const file = {
    filename: fileName,
    sha256: digests['sha256'] ?? '',
    requiresPython: field(form, 'requires_python') || null,
    yanked: false,
    sizeBytes,
    uploadTime: at.toISOString().replace('Z', '000Z'),
    version,
    visibleFrom: new Date(at.getTime() + hideMs).toISOString(),
  } as const;
  const { summary, description } = { summary: field(form, 'summary'), description: field(form, 'description') };
  await store.writeJson({ name, summary, description, files: [...(before?.files ?? []), file] }, name, 'project');
  await addName(call, name);
}

async function addName({ store }: Call, name: string): Promise<void> {
  await store.alone('all', async () => {
    const names = (await store.readJson<string[]>('names')) ?? [];
    if (!names.includes(name)) await store.writeJson([...names, name].sort(), 'names');
  });
}

async function read(call: Call): Promise<unknown> {
  const { guard, request, reply, store, now } = call;
  guard.read(request);
  const [area, ...rest] = partsOf(request, prefix).parts.map(decodePart);
  const [name = '', fileName = ''] = rest;
  if (area === 'files' && rest.length === 2) return sendFile(call, store.place(normaliseName(name), fileName));
  if (area !== 'simple') throw new Refusal(404, 'not found');
  const isJson = /application\/vnd\.pypi\.simple\.(?:v1|latest)\+json/.test(request.headers.accept ?? '');
  reply.type(isJson ? indexTypes.json : 'text/html; charset=utf-8');
  if (name === '') {
    const list = formatProjectList((await store.readJson<string[]>('names')) ?? []);
    return isJson ? list.json : list.html;
  }
  // PEP 503: other spellings are sent to the normalised one.
  if (normaliseName(name) !== name || rest.length < 2)
    return reply.redirect(`${prefix}simple/${normaliseName(name)}/`, 301);
  const project = await store.readJson<StoredProject>(name, 'project');
  if (project === null) {
    const known = await upstreamProject(call, name);
    if (known !== null) return isJson ? formatProjectJson(known) : formatProjectHtml(known);
  }
  const files = (project?.files ?? []).filter(({ visibleFrom }) => Date.parse(visibleFrom) <= now().getTime());
  if (files.length === 0) throw new Refusal(404, 'not found');
  const base = baseOf(request, prefix);
  const index = {
    name,
    versions: [...new Set(files.map(({ version }) => version))],
    files: files.map((file) => ({ ...file, url: `${base}files/${name}/${encodeURIComponent(file.filename)}` })),
  };
  return isJson ? formatProjectJson(index) : formatProjectHtml(index);
}

/** A project of another index, each file with its whole address: a relative one holds only on its own page. */
async function upstreamProject(call: Call, name: string): Promise<ProjectIndex | null> {
  const path = `${name}/`;
  const found = await askUpstream(call, path, name);
  if (found === null) return null;
  const text = await readText(found, path);
  const project = parseProject(text, String(found.headers['content-type'] ?? ''), found.url);
  return project === null ? null : { ...project, name };
}

/** What an index offers on a page of its own: the stand-in's own address, `yanked/NAME/VERSION`, the body is the reason. */
async function yank({ request, guard, store }: Call): Promise<unknown> {
  const [, rawName = '', version = ''] = partsOf(request, prefix).parts.map(decodePart);
  const name = normaliseName(rawName);
  guard.write(request, name);
  const reason = await textOfBody(request, 10_000);
  return store.alone(name, async () => {
    const project = await store.readJson<StoredProject>(name, 'project');
    if (project === null || !project.files.some((file) => file.version === version))
      throw new Refusal(404, 'not found');
    const files = project.files.map((file) => (file.version === version ? { ...file, yanked: reason } : file));
    await store.writeJson({ ...project, files }, name, 'project');
    return { ok: true };
  });
}

function field({ fields }: ReceivedForm, name: string): string {
  return fields.get(name)?.[0] ?? '';
}

/** Whether a file is called as its project and version say (PEP 427 and PEP 625, names normalised with `_`). */
function isFileOf({
  fileName,
  name,
  version,
  type,
}: {
  readonly fileName: string;
  readonly name: string;
  readonly version: string;
  readonly type: string;
}): boolean {
  const start = `${name.replaceAll('-', '_')}-${version}`;
  const lower = fileName.toLowerCase();
  if (type === 'bdist_wheel')
    return /^[^-]+-[^-]+(?:-\d[^-]*)?-[^-]+-[^-]+-[^-]+\.whl$/.test(lower) && lower.startsWith(`${start}-`);
  return type === 'sdist' && lower === `${start}.tar.gz`;
}
