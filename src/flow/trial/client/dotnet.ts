import path from 'node:path';
import { escapeHtml } from '../../../core/text/html.ts';
import { runCommand } from '../../../world/command.ts';
import { writeWhole } from '../../../world/files.ts';
import type { Client } from './client.ts';
import { findVersion, lastLines } from './find-version.ts';

/** The .NET command line: restores a project that refers to the packages, from this one source. */
export const dotnetClient: Client = {
  name: 'dotnet',
  installsByName: true,
  usualSeconds: 8,
  takesSecondPlace: false,
  find: async (version, env, signal) => {
    const dotnet = await findVersion({ names: ['dotnet'], version, env, signal });
    return dotnet === null ? null : { version: `.NET ${dotnet.version}`, program: dotnet };
  },
  install: async (tool, { folder, home, env, signal }, wanted) => {
    const references = wanted.map(({ offer: { release } }) => {
      const version = escapeHtml(release.about.spellings.nuget ?? release.version);
      return `<PackageReference Include="${escapeHtml(release.about.name)}" Version="[${version}]" />`;
    });
    const framework = `net${(tool.program.version ?? '8.0').split('.').slice(0, 2).join('.')}`;
    const project = `<Project Sdk="Microsoft.NET.Sdk"><PropertyGroup><TargetFramework>${framework}</TargetFramework></PropertyGroup><ItemGroup>${references.join('')}</ItemGroup></Project>\n`;
    const url = escapeHtml(wanted[0]?.offer.url ?? '');
    const sources = `<configuration><packageSources><clear /><add key="office" value="${url}" allowInsecureConnections="true" /></packageSources></configuration>\n`;
    await writeWhole(path.join(folder, 'visitor.csproj'), project);
    await writeWhole(path.join(folder, 'nuget.config'), sources);
    const whole = {
      ...env,
      NUGET_PACKAGES: path.join(home, 'packages'),
      DOTNET_CLI_TELEMETRY_OPTOUT: '1',
      DOTNET_NOLOGO: '1',
    };
    const end = await runCommand({ program: tool.program.path, args: ['restore'], folder, env: whole, signal });
    if (end.type === 'missing' || end.exitCode !== 0)
      return { type: 'failed', why: end.type === 'missing' ? 'dotnet is gone' : lastLines(end.all) };
    return { type: 'installed', env: { NUGET_PACKAGES: path.join(home, 'packages') }, trees: [] };
  },
};
