/** The folder that a path inside something lies in; '' at the top. */
export function parentOf(path: string): string {
  return path.includes('/') ? path.slice(0, path.lastIndexOf('/')) : '';
}

/** A path from a folder, `.` and `..` worked out; what climbs out at the top keeps its `..`. */
export function joinPath(folder: string, relative: string): string {
  const parts: string[] = folder === '' ? [] : folder.split('/');
  for (const part of relative.split('/')) {
    if (part === '' || part === '.') continue;
    if (part === '..' && parts.length > 0 && parts.at(-1) !== '..') parts.pop();
    else parts.push(part);
  }
  return parts.join('/');
}
