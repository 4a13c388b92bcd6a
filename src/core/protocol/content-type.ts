import mime from 'mime';

/** Media types by ending, longest first, as they are registered or, for archives of an ecosystem, commonly used. */
const types: readonly (readonly [string, string])[] = [
  ['.spdx.json', 'application/spdx+json'],
  ['.cdx.json', 'application/vnd.cyclonedx+json'],
  ['.tar.gz', 'application/gzip'],
  ['.tgz', 'application/gzip'],
  ['.zip', 'application/zip'],
  ['.whl', 'application/zip'],
  ['.nupkg', 'application/zip'],
  ['.snupkg', 'application/zip'],
  ['.jar', 'application/java-archive'],
  ['.deb', 'application/vnd.debian.binary-package'],
  ['.pom', 'application/xml'],
  ['.json', 'application/json'],
  ['/', 'text/html; charset=utf-8'],
  // Wherever a browser shows a text, it should not have to guess how it is encoded.
  ['.html', 'text/html; charset=utf-8'],
  ['.txt', 'text/plain; charset=utf-8'],
  ['SHA256SUMS', 'text/plain; charset=utf-8'],
];

/** The media type of a file by its name. */
export function contentTypeOf(fileName: string): string {
  return (
    types.find(([ending]) => fileName.endsWith(ending))?.[1] ?? mime.getType(fileName) ?? 'application/octet-stream'
  );
}
