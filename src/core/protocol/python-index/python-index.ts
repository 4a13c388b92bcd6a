import { objectOf, objectsOf, textOf } from '../../manifest/fields.ts';
import { normaliseName } from '../../manifest/normalise-name.ts';
import { escapeHtml } from '../../text/html.ts';
import { jsonOrNull } from '../../text/json.ts';

// The Simple Repository API (PEP 503 in HTML, PEP 691 in JSON, PEP 700 sizes and times, PEP 592 yanked files) and the
// form of the upload interface ("Upload API" of the Python packaging index).

/** One file of a project, as an index tells it. */
export type IndexFile = {
  readonly filename: string;
  /** Absolute address without fragment. */
  readonly url: string;
  readonly sha256: string | null;
  readonly requiresPython: string | null;
  /** False, or why it was taken back; '' without a reason. */
  readonly yanked: string | false;
  readonly sizeBytes: number | null;
  /** ISO 8601, UTC. */
  readonly uploadTime: string | null;
};

/** What an index has of a project. */
export type ProjectIndex = {
  readonly name: string;
  readonly versions: readonly string[];
  readonly files: readonly IndexFile[];
};

/** What a client should ask with: JSON before HTML (PEP 691, "Version + Format Selection"). */
export const indexAccept =
  'application/vnd.pypi.simple.v1+json, application/vnd.pypi.simple.v1+html;q=0.2, text/html;q=0.1';

/** The content types of both formats. */
export const indexTypes = { json: 'application/vnd.pypi.simple.v1+json', html: 'application/vnd.pypi.simple.v1+html' };

/** A project as JSON (PEP 691 "Project Detail", API version 1.1 with PEP 700). */
export function formatProjectJson({ name, versions, files }: ProjectIndex): string {
  return JSON.stringify({
    meta: { 'api-version': '1.1' },
    name: normaliseName(name),
    versions,
    files: files.map(({ filename, url, sha256, requiresPython, yanked, sizeBytes, uploadTime }) => ({
      filename,
      url,
      hashes: sha256 === null ? {} : { sha256 },
      ...(requiresPython === null ? {} : { 'requires-python': requiresPython }),
      yanked: yanked === '' ? true : yanked,
      ...(sizeBytes === null ? {} : { size: sizeBytes }),
      ...(uploadTime === null ? {} : { 'upload-time': uploadTime }),
    })),
  });
}

/** A project as an HTML page of anchors (PEP 503; `data-yanked` of PEP 592). */
export function formatProjectHtml({ name, files }: ProjectIndex): string {
  const anchors = files.map(({ filename, url, sha256, requiresPython, yanked }) => {
    const attributes = [
      `href="${escapeHtml(url)}${sha256 === null ? '' : `#sha256=${sha256}`}"`,
      ...(requiresPython === null ? [] : [`data-requires-python="${escapeHtml(requiresPython)}"`]),
      ...(yanked === false ? [] : [`data-yanked="${escapeHtml(yanked)}"`]),
    ];
    return `<a ${attributes.join(' ')}>${escapeHtml(filename)}</a><br>`;
  });
  return page(`Links for ${escapeHtml(normaliseName(name))}`, anchors);
}

/** The list of all projects, as HTML (PEP 503) and as JSON (PEP 691 "Project List"). */
export function formatProjectList(names: readonly string[]): { readonly html: string; readonly json: string } {
  const anchors = names.map((name) => `<a href="${normaliseName(name)}/">${escapeHtml(name)}</a><br>`);
  return {
    html: page('All projects', anchors),
    json: JSON.stringify({ meta: { 'api-version': '1.1' }, projects: names.map((name) => ({ name })) }),
  };
}

function page(title: string, anchors: readonly string[]): string {
  const head = `<!doctype html>\n<html lang="en">\n<head><meta name="pypi:repository-version" content="1.1"><title>${title}</title></head>`;
  return `${head}\n<body>\n<h1>${title}</h1>\n${anchors.join('\n')}\n</body>\n</html>\n`;
}

/**
 * Reads a project's answer in either format.
 * @param base the address that it came from, for relative ones.
 * @returns null when it is neither.
 */
export function parseProject(text: string, contentType: string, base: string): ProjectIndex | null {
  return /\bjson\b/.test(contentType) ? parseJsonProject(text, base) : parseHtmlProject(text, base);
}

function parseJsonProject(text: string, base: string): ProjectIndex | null {
  const value = objectOf(jsonOrNull(text));
  if (!Array.isArray(value['files'])) return null;
  const files = objectsOf(value['files']).flatMap((file): IndexFile[] => {
    const [filename, url] = [textOf(file['filename']), textOf(file['url'])];
    if (filename === null || url === null || !URL.canParse(url, base)) return [];
    const { yanked, size } = file;
    return [
      {
        filename,
        url: new URL(url, base).href,
        sha256: textOf(objectOf(file['hashes'])['sha256'])?.toLowerCase() ?? null,
        requiresPython: textOf(file['requires-python']),
        yanked: typeof yanked === 'string' ? yanked : yanked === true ? '' : false,
        sizeBytes: typeof size === 'number' ? size : null,
        uploadTime: textOf(file['upload-time']),
      },
    ];
  });
  const versions = Array.isArray(value['versions']) ? value['versions'].filter((item) => typeof item === 'string') : [];
  return { name: textOf(value['name']) ?? '', versions, files };
}

function parseHtmlProject(text: string, base: string): ProjectIndex | null {
  if (!/<(?:!doctype|html|a)\b/i.test(text)) return null;
  const files = [...text.matchAll(/<a\s([^>]*)>([^<]*)<\/a>/gi)].flatMap(
    ([, attributes = '', label = '']): IndexFile[] => {
      const of = (name: string) => {
        const match = new RegExp(`(?:^|\\s)${name}\\s*=\\s*(?:"([^"]*)"|'([^']*)')`, 'i').exec(attributes);
        return match === null ? null : unescapeHtml(match[1] ?? match[2] ?? '');
      };
      const href = of('href');
      if (href === null || !URL.canParse(href, base)) return [];
      const url = new URL(href, base);
      const sha256 = /^#sha256=([0-9a-f]{64})$/i.exec(url.hash)?.[1]?.toLowerCase() ?? null;
      url.hash = '';
      const yanked = of('data-yanked') ?? (/(?:^|\s)data-yanked(?:\s|$)/.test(attributes) ? '' : false);
      const requiresPython = of('data-requires-python');
      return [
        {
          filename: unescapeHtml(label.trim()),
          url: url.href,
          sha256,
          requiresPython,
          yanked,
          sizeBytes: null,
          uploadTime: null,
        },
      ];
    },
  );
  return { name: '', versions: [], files };
}

function unescapeHtml(text: string): string {
  const named: Readonly<Record<string, string>> = { amp: '&', lt: '<', gt: '>', quot: '"', '#39': "'", '#x27': "'" };
  return text.replace(/&(#?\w+);/g, (whole, name: string) => named[name] ?? whole);
}

/** Metadata of a distribution as fields of the upload form: names in lower case with `_`, repeated where they repeat. */
export type UploadInput = {
  /** Fields of METADATA or PKG-INFO, by name: a text, or a list where a field repeats. */
  readonly fields: Readonly<Record<string, unknown>>;
  readonly description: string | null;
  readonly fileName: string;
  readonly sha256: string;
};

/** Fields that the form calls otherwise than the metadata ("Upload API"; "Core metadata specifications"). */
const renamed: Readonly<Record<string, string>> = {
  classifier: 'classifiers',
  'project-url': 'project_urls',
  platform: 'platform',
};

/** The texts of an upload form; the file itself is its field `content`. */
export function uploadFields({ fields, description, fileName, sha256 }: UploadInput): (readonly [string, string])[] {
  const isWheel = fileName.endsWith('.whl');
  const metadata = Object.entries(fields).flatMap(([name, values]) => {
    const lower = name.toLowerCase();
    if (lower === 'description') return [];
    return textsOf(values).map((value) => [renamed[lower] ?? lower.replaceAll('-', '_'), value] as const);
  });
  const text = description ?? textsOf(fields['Description'])[0] ?? null;
  return [
    [':action', 'file_upload'],
    ['protocol_version', '1'],
    ['filetype', isWheel ? 'bdist_wheel' : 'sdist'],
    // A wheel's name ends with its tags, the Python tag first (PEP 427).
    ['pyversion', isWheel ? (fileName.split('-').at(-3) ?? 'py3') : 'source'],
    ...metadata,
    ...(text === null || text === '' ? [] : [['description', text] as const]),
    // One digest has to be there; an MD5 would cost another pass over the file before a byte of it is sent.
    ['sha256_digest', sha256],
  ];
}

function textsOf(value: unknown): string[] {
  return (Array.isArray(value) ? value : [value]).filter((item) => typeof item === 'string');
}
