import path from 'node:path';
import semver from 'semver';
import type { Config, ToolConfig } from '../../core/config/config.ts';
import { BevelstoneError, type Problem } from '../../core/error/bevelstone-error.ts';
import { type FoundTool, findTool } from '../../world/tool.ts';
import type { Context } from '../context.ts';
import { withoutCredentials } from './credential-variables.ts';
import type { Package } from './workspace.ts';

/** A tool that a package needs and that is missing here. */
export type MissingTool = { readonly package: string; readonly tool: string; readonly why: string };

/** The tools of some packages: what was found, by package, and what is missing or of another version. */
export type ToolCheck = {
  readonly found: ReadonlyMap<string, readonly FoundTool[]>;
  readonly missing: readonly MissingTool[];
};

/** Looks every tool up where its package's steps will find it, once for all packages that look in the same folders. */
export async function checkTools(
  context: Context,
  config: Pick<Config, 'destinations'>,
  packages: readonly Pick<Package, 'name' | 'config'>[],
): Promise<ToolCheck> {
  const env = withoutCredentials(context.env, config);
  const looks = new Map<string, Promise<FoundTool | null>>();
  const look = (name: string, folders: readonly string[] | null) => {
    const PATH = folders?.join(path.delimiter) ?? env['PATH'] ?? '';
    const key = JSON.stringify([name, PATH]);
    const known = looks.get(key) ?? findTool(name, { ...env, PATH }, context.signal);
    looks.set(key, known);
    return known;
  };
  const checks = await Promise.all(
    packages.map(async ({ name, config: { tools, path: folders } }) => {
      const each = await Promise.all(tools.map(async (tool) => ({ tool, is: await look(tool.name, folders) })));
      const missing = each.flatMap(({ tool, is }): MissingTool[] => {
        const why = lacking(tool, is, folders);
        return why === null ? [] : [{ package: name, tool: tool.name, why }];
      });
      return { name, found: each.flatMap(({ is }) => is ?? []), missing };
    }),
  );
  return {
    found: new Map(checks.map(({ name, found }) => [name, found])),
    missing: checks.flatMap(({ missing }) => missing),
  };
}

function lacking(
  { name, range }: ToolConfig,
  tool: FoundTool | null,
  folders: readonly string[] | null,
): string | null {
  if (tool === null) return folders === null ? `${name} is not on the PATH` : `${name} is not in ${folders.join(', ')}`;
  if (range === null) return null;
  if (tool.version === null) return `${name} does not say which version it is, and ${range} is needed`;
  const version = semver.coerce(tool.version);
  if (version !== null && semver.satisfies(version, range)) return null;
  return `${name} is ${tool.version}, and ${range} is needed`;
}

/** All that is missing in one message. @throws TOOL_MISSING when anything is. */
export function refuseMissing(missing: readonly MissingTool[]): void {
  const [first] = missing;
  if (first === undefined) return;
  const problems: Problem[] = missing.map((missingTool) => ({
    code: 'TOOL_MISSING',
    message: `${missingTool.package}: ${missingTool.why}`,
    fix: `Install it, or build without ${missingTool.package}`,
    where: null,
  }));
  throw new BevelstoneError('TOOL_MISSING', {
    message:
      missing.length === 1
        ? `${first.package}: ${first.why}`
        : `${missing.length} tools of the build steps are missing`,
    why: '`tools` lists what the build steps need; nothing was started',
    fix: 'Install them, or select packages whose tools are installed with -p',
    problems: missing.length === 1 ? [] : problems,
  });
}
