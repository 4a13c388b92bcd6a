/** A program or plug-in that an installed package offers. */
export type EntryPoint = {
  readonly group: string;
  readonly name: string;
  readonly module: string;
  readonly attribute: string;
};

/** Lines of entry_points.txt ("Entry points specification", file format). */
export function parseEntryPoints(text: string): EntryPoint[] {
  let group = '';
  return text.split(/\r?\n/).flatMap((line) => {
    const section = /^\s*\[([^\]]+)\]/.exec(line)?.[1];
    if (section !== undefined) group = section.trim();
    const match = /^\s*([^#;\s][^=]*?)\s*=\s*([\w.]+)\s*(?::\s*([\w.]+))?/.exec(line);
    if (match === null || section !== undefined) return [];
    return [{ group, name: match[1] ?? '', module: match[2] ?? '', attribute: match[3] ?? '' }];
  });
}
