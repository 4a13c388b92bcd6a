import type { SurfaceReader, SurfaceSource } from '../reader.ts';
import { compareNodeSurfaces, readNodeSurface } from './node-surface.ts';
import type { NodeTree } from './type-tree.ts';

/** Packages for the npm client. */
export const nodeSurfaceReader: SurfaceReader = {
  wants: (path) => /(?:\.[cm]?[jt]sx?|package\.json)$/.test(path) && !/(?:^|\/)node_modules\//.test(path),
  read: async (source, { libraryText }) => readNodeSurface(treeOf(source), libraryText),
  compare: async (old, now, { libraryText }) => compareNodeSurfaces(treeOf(old), treeOf(now), libraryText),
};

function treeOf({ manifest, paths, bytes }: SurfaceSource): NodeTree {
  const inside = new Set(paths);
  const decoder = new TextDecoder();
  return {
    manifest: manifest ?? {},
    paths,
    has: (path) => inside.has(path),
    text: (path) => {
      const found = bytes(path);
      return found === null ? null : decoder.decode(found);
    },
  };
}
