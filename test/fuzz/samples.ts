import { readFileSync } from 'node:fs';
import path from 'node:path';

const demo = path.join(import.meta.dirname, '../../demo/workspace');
const read = (file: string) => readFileSync(path.join(demo, file), 'utf8');

/** A valid text of every manifest that is read, by file name. */
export const manifestSamples: Readonly<Record<string, string>> = {
  'package.json': `{
  "name": "@fenmarsh/tides", "version": "1.4.0", "license": "MIT", "type": "module", "main": "./a.js",
  "exports": { ".": { "types": "./a.d.ts", "import": "./a.js", "default": ["./a.cjs", null] }, "./x/*": "./x/*.js" },
  "imports": { "#own": { "node": "./a.js", "default": "depth" } }, "bin": { "tide": "bin/tide.js" },
  "dependencies": { "depth": "^1.0.0", "moon": "workspace:*" }, "peerDependencies": { "sun": ">=1 <3" },
  "repository": { "type": "git", "url": "https://code.example/tides.git" }, "files": ["a.js", "x"], "keywords": ["tide"]
}
`,
  'pyproject.toml': read('packages/tidemark-py/pyproject.toml'),
  'setup.cfg':
    '[metadata]\nname = tides\nversion = 1.4.0\nlicense = MIT\n[options]\ninstall_requires =\n  depth>=1\n  moon[full]~=2.0; python_version<"3.12"\n',
  'setup.py':
    'from setuptools import setup\nsetup(name="tides", version="1.4.0", install_requires=["depth>=1", \'moon\'], license="MIT")\n',
  'pom.xml': read('packages/tidemark-jvm/pom.xml'),
  'Fenmarsh.Tides.nuspec': read('packages/fenmarsh-tides/Fenmarsh.Tides.nuspec'),
  'Tides.csproj':
    '<Project Sdk="Microsoft.NET.Sdk"><PropertyGroup><PackageId>Tides</PackageId><Version>1.4.0</Version></PropertyGroup><ItemGroup><PackageReference Include="Depth" Version="[1.0,2.0)" /></ItemGroup></Project>',
  'CMakeLists.txt':
    'cmake_minimum_required(VERSION 3.20)\nproject(tides VERSION 1.4.0 DESCRIPTION "Tides" LANGUAGES C)\n',
  'meson.build': "project('tides', 'c', version: '1.4.0', license: 'MIT')\n",
  'configure.ac': 'AC_INIT([tides], [1.4.0], [office@fenmarsh.example])\n',
  'build.gradle': "group = 'example.fenmarsh'\nversion = '1.4.0'\ndescription = 'Tides'\n",
  'Cargo.toml':
    '[package]\nname = "tides"\nversion = "1.4.0"\nlicense = "MIT"\n[dependencies]\ndepth = "1"\nmoon = { version = "2", optional = true, path = "../moon" }\n[workspace]\nmembers = ["a", "b/*"]\n',
  'go.mod':
    'module code.example/tides/v2\n\ngo 1.19\n\nrequire (\n\tcode.example/depth v1.2.3\n\tcode.example/moon v0.0.0-20260101000000-abcdefabcdef // indirect\n)\nreplace code.example/moon => ../moon\n',
};

/** A valid text of every lockfile and list of needs that is read, by file name. */
export const lockfileSamples: Readonly<Record<string, string>> = {
  'package-lock.json': `{
  "name": "tides", "version": "1.4.0", "lockfileVersion": 3, "requires": true,
  "packages": {
    "": { "name": "tides", "version": "1.4.0", "dependencies": { "depth": "^1.0.0" }, "workspaces": ["packages/*"] },
    "node_modules/depth": { "version": "1.2.0", "resolved": "https://packages.example/depth-1.2.0.tgz", "integrity": "sha512-AAAA", "license": "MIT", "dependencies": { "moon": "^2.0.0" } },
    "node_modules/depth/node_modules/moon": { "version": "2.0.1", "resolved": "https://packages.example/moon-2.0.1.tgz", "integrity": "sha1-AAAA", "optional": true, "peerDependencies": { "sun": "*" } },
    "node_modules/sun": { "version": "1.0.0", "dev": true, "peer": true }, "packages/a": { "version": "0.1.0" }, "node_modules/a": { "resolved": "packages/a", "link": true }
  },
  "dependencies": { "depth": { "version": "1.2.0", "requires": { "moon": "^2.0.0" }, "dependencies": { "moon": { "version": "2.0.1" } } } }
}
`,
  'pnpm-lock.yaml': `lockfileVersion: '9.0'
importers:
  .:
    dependencies:
      depth: { specifier: ^1.0.0, version: 1.2.0(sun@1.0.0) }
  packages/a:
    devDependencies:
      moon:
        specifier: ^2.0.0
        version: link:../b
packages:
  depth@1.2.0:
    resolution: { integrity: sha512-AAAA }
    peerDependencies: { sun: '*' }
  sun@1.0.0:
    resolution: { integrity: sha512-BBBB, tarball: https://packages.example/sun.tgz }
snapshots:
  depth@1.2.0(sun@1.0.0):
    dependencies: { sun: 1.0.0 }
  sun@1.0.0: {}
`,
  'yarn.lock': `# yarn lockfile v1

depth@^1.0.0, "depth@>=1":
  version "1.2.0"
  resolved "https://packages.example/depth-1.2.0.tgz#abcdef"
  integrity sha512-AAAA
  dependencies:
    moon "^2.0.0"

moon@^2.0.0:
  version "2.0.1"
`,
  'requirements.txt':
    'depth==1.2.0 --hash=sha256:aaaa \\\n  --hash=sha256:bbbb\nmoon[full]>=2 ; python_version < "3.12" # note\n-r other.txt\n-e git+https://code.example/x.git@main#egg=sun\n',
  'pylock.toml':
    'lock-version = "1.0"\ncreated-by = "office"\n[[packages]]\nname = "depth"\nversion = "1.2.0"\n[[packages.wheels]]\nname = "depth-1.2.0-py3-none-any.whl"\nurl = "https://packages.example/d.whl"\nhashes = { sha256 = "aa" }\n',
  'Cargo.lock':
    'version = 3\n\n[[package]]\nname = "tides"\nversion = "1.4.0"\ndependencies = [\n "depth 1.2.0",\n "moon",\n]\n\n[[package]]\nname = "depth"\nversion = "1.2.0"\nsource = "registry+https://packages.example/index"\nchecksum = "aa"\n\n[[package]]\nname = "moon"\nversion = "2.0.1"\n',
  'go.mod': manifestSamples['go.mod'] ?? '',
  'pom.xml': manifestSamples['pom.xml'] ?? '',
  'packages.lock.json':
    '{ "version": 1, "dependencies": { "net8.0": { "Depth": { "type": "Direct", "requested": "[1.0.0, )", "resolved": "1.2.0", "contentHash": "AAAA", "dependencies": { "Moon": "2.0.0" } }, "Moon": { "type": "Transitive", "resolved": "2.0.1" } } } }',
  'uv.lock':
    'version = 1\n[[package]]\nname = "tides"\nversion = "1.4.0"\nsource = { editable = "." }\n[[package]]\nname = "depth"\nversion = "1.2.0"\nsource = { registry = "https://packages.example/simple" }\n',
  'bun.lock':
    '{ "lockfileVersion": 1, "workspaces": { "": { "name": "tides", "dependencies": { "depth": "^1" }, "optionalPeers": ["sun"] }, "packages/a": { "name": "a" } }, "packages": { "depth": ["depth@1.2.0", "", { "dependencies": { "moon": "2" } }, "sha512-AAAA"], "depth/moon": ["moon@git+https://code.example/moon.git#abcdef0", {}], "a": ["a@workspace:packages/a"], } }',
  'Pipfile.lock':
    '{ "_meta": { "hash": { "sha256": "aa" }, "pipfile-spec": 6 }, "default": { "depth": { "hashes": ["sha256:aa"], "version": "==1.2.0", "markers": "os_name == \'nt\'" }, "moon": { "git": "https://code.example/moon.git", "ref": "abc" } }, "develop": {} }',
  'Gemfile.lock':
    'GIT\n  remote: https://code.example/moon.git\n  revision: abcdef0\n  specs:\n    moon (2.0.1)\n\nGEM\n  remote: https://packages.example/\n  specs:\n    depth (1.2.0-x86_64-linux)\n      moon (>= 1, < 3)\n\nPLATFORMS\n  ruby\n\nDEPENDENCIES\n  depth (~> 1.0)\n  moon!\n\nCHECKSUMS\n  depth (1.2.0) sha256=aa\n\nBUNDLED WITH\n   2.3.15\n',
  'composer.lock':
    '{ "packages": [{ "name": "tide/depth", "version": "1.2.0", "source": { "url": "https://code.example/depth" }, "dist": { "url": "https://packages.example/d.zip", "shasum": "aa" }, "require": { "php": ">=8", "tide/moon": "^2" }, "license": ["MIT", "ISC"] }], "packages-dev": [{ "name": "tide/moon", "provide": { "tide/sun": "1" } }] }',
  'conan.lock':
    '{ "version": "0.5", "requires": ["depth/1.2.0@office/stable#abc%1.0", ["moon/2.0.1", {}]], "build_requires": [], "python_requires": [] }',
  'vcpkg.json':
    '{ "name": "tides", "dependencies": ["depth", { "name": "moon", "version>=": "2", "host": true, "platform": "windows" }], "overrides": [{ "name": "depth", "version-string": "1.2.0" }], "builtin-baseline": "abcdef", "features": { "plot": { "dependencies": ["sun"] } } }',
  'gradle.lockfile':
    '# comment\ncode.example:depth:1.2.0=compileClasspath,runtimeClasspath\ncode.example:moon:2.0.1=testRuntimeClasspath\nempty=annotationProcessor\n',
  'libs.versions.toml':
    '[versions]\ndepth = { strictly = "1.2.0" }\n[libraries]\ndepth = { module = "code.example:depth", version.ref = "depth" }\nmoon = "code.example:moon:2.0.1"\n[plugins]\nsun = { id = "sun", version = "1" }\n',
  'Tides.csproj': manifestSamples['Tides.csproj'] ?? '',
  'poetry.lock':
    '[[package]]\nname = "tides"\nversion = "1.4.0"\n\n[package.source]\ntype = "directory"\nurl = "packages/a"\n\n[metadata]\nlock-version = "2.0"\ncontent-hash = "aa"\n',
};

export const sbomSamples: readonly string[] = [
  `{ "spdxVersion": "SPDX-2.3", "dataLicense": "CC0-1.0", "SPDXID": "SPDXRef-DOCUMENT", "name": "tides", "documentNamespace": "https://code.example/tides-1",
  "creationInfo": { "created": "2026-11-23T08:00:00Z", "creators": ["Tool: office-1"] },
  "packages": [{ "SPDXID": "SPDXRef-p", "name": "tides", "versionInfo": "1.4.0", "downloadLocation": "NOASSERTION", "licenseConcluded": "MIT", "licenseDeclared": "(MIT OR Apache-2.0)", "copyrightText": "NONE", "filesAnalyzed": true, "packageVerificationCode": { "packageVerificationCodeValue": "aa" }, "checksums": [{ "algorithm": "SHA256", "checksumValue": "aa" }], "externalRefs": [{ "referenceCategory": "PACKAGE-MANAGER", "referenceType": "purl", "referenceLocator": "pkg:npm/tides@1.4.0" }] }],
  "files": [{ "SPDXID": "SPDXRef-f", "fileName": "./a.js", "checksums": [{ "algorithm": "SHA1", "checksumValue": "aa" }] }],
  "relationships": [{ "spdxElementId": "SPDXRef-DOCUMENT", "relationshipType": "DESCRIBES", "relatedSpdxElement": "SPDXRef-p" }, { "spdxElementId": "SPDXRef-p", "relationshipType": "CONTAINS", "relatedSpdxElement": "SPDXRef-f" }] }`,
  `{ "bomFormat": "CycloneDX", "specVersion": "1.6", "serialNumber": "urn:uuid:3e671687-395b-41f5-a30f-a58921a69b79", "version": 1,
  "metadata": { "timestamp": "2026-11-23T08:00:00Z", "component": { "type": "library", "bom-ref": "t", "name": "tides", "version": "1.4.0" } },
  "components": [{ "type": "library", "bom-ref": "d", "name": "depth", "version": "1.2.0", "purl": "pkg:npm/depth@1.2.0", "hashes": [{ "alg": "SHA-256", "content": "aa" }], "licenses": [{ "license": { "id": "MIT" } }], "components": [{ "type": "file", "name": "x" }] }],
  "dependencies": [{ "ref": "t", "dependsOn": ["d"] }], "compositions": [{ "aggregate": "complete", "assemblies": ["t"] }] }`,
];

export const configSample = read('bevelstone.yaml');
