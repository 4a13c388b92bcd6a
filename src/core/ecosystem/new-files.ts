import type { Ecosystem } from '../name/ecosystem.ts';

/** A file of a new repository. */
export type NewFile = { readonly file: string; readonly text: string };

/** What a new repository is made from. */
export type NewRepository = {
  /** Lower case, digits and hyphens. */
  readonly name: string;
  /** Who holds the rights. */
  readonly holder: string;
  readonly year: number;
};

/** The smallest complete repository of an ecosystem: manifest, source, readme, licence, first test. */
export function newFiles(ecosystem: Ecosystem, about: NewRepository): NewFile[] {
  const { name, holder, year } = about;
  return [
    ...sources[ecosystem](about, name.replaceAll('-', '_')),
    { file: 'README.md', text: `# ${name}\n\nWhat it does, in one sentence.\n\n## Test\n\n    ${tests[ecosystem]}\n` },
    { file: 'LICENSE', text: mit(holder, year) },
  ];
}

/** How the first test of an ecosystem is run. */
const tests: Readonly<Record<Ecosystem, string>> = {
  node: 'npm test',
  python: 'PYTHONPATH=src python3 -m unittest discover -s tests',
  jvm: 'sh check.sh',
  dotnet: 'sh check.sh',
  rust: 'cargo test',
  go: 'go test ./...',
  native: 'cmake -B build && cmake --build build && ctest --test-dir build',
  plain: 'sh check.sh',
};

type Sources = (about: NewRepository, word: string) => NewFile[];

const sources: Readonly<Record<Ecosystem, Sources>> = {
  node: ({ name }) => [
    {
      file: 'package.json',
      text: `${JSON.stringify({ name, version: '0.0.0', description: 'What it does, in one sentence.', license: 'MIT', type: 'module', exports: './index.js', files: ['index.js'], scripts: { test: 'node --test' } }, null, 2)}\n`,
    },
    { file: 'index.js', text: 'export function answer() {\n  return 42;\n}\n' },
    {
      file: 'index.test.js',
      text: "import assert from 'node:assert/strict';\nimport test from 'node:test';\nimport { answer } from './index.js';\n\ntest('it answers', () => assert.equal(answer(), 42));\n",
    },
  ],
  python: ({ name }, word) => [
    {
      file: 'pyproject.toml',
      text: `[build-system]\nrequires = ["setuptools>=77"]\nbuild-backend = "setuptools.build_meta"\n\n[project]\nname = "${name}"\nversion = "0.0.0"\ndescription = "What it does, in one sentence."\nreadme = "README.md"\nlicense = "MIT"\nrequires-python = ">=3.9"\n`,
    },
    {
      file: `src/${word}/__init__.py`,
      text: '"""What it does, in one sentence."""\n\n\ndef answer():\n    return 42\n',
    },
    {
      file: `tests/test_${word}.py`,
      text: `import unittest\n\nfrom ${word} import answer\n\n\nclass AnswerTest(unittest.TestCase):\n    def test_answer(self):\n        self.assertEqual(answer(), 42)\n`,
    },
  ],
  jvm: ({ name }, word) => {
    const type = pascal(word);
    return [
      {
        file: 'pom.xml',
        text: `<?xml version="1.0" encoding="UTF-8"?>\n<project xmlns="http://maven.apache.org/POM/4.0.0">\n  <modelVersion>4.0.0</modelVersion>\n  <groupId>example.${word}</groupId>\n  <artifactId>${name}</artifactId>\n  <version>0.0.0</version>\n  <name>${name}</name>\n  <description>What it does, in one sentence.</description>\n  <licenses>\n    <license>\n      <name>MIT</name>\n    </license>\n  </licenses>\n  <properties>\n    <maven.compiler.release>17</maven.compiler.release>\n    <project.build.sourceEncoding>UTF-8</project.build.sourceEncoding>\n  </properties>\n</project>\n`,
      },
      {
        file: `src/main/java/example/${word}/${type}.java`,
        text: `package example.${word};\n\n/** What it does, in one sentence. */\npublic final class ${type} {\n    private ${type}() {}\n\n    public static int answer() {\n        return 42;\n    }\n}\n`,
      },
      {
        file: `src/check/java/${type}Check.java`,
        text: `public final class ${type}Check {\n    public static void main(String[] arguments) {\n        if (example.${word}.${type}.answer() != 42) throw new AssertionError("no answer");\n    }\n}\n`,
      },
      {
        file: 'check.sh',
        text: `set -e\nout=$(mktemp -d)\njavac -d "$out" $(find src -name '*.java')\njava -cp "$out" ${type}Check\n`,
      },
    ];
  },
  dotnet: ({ name }, word) => {
    const type = pascal(word);
    return [
      {
        file: `${type}.csproj`,
        text: `<Project Sdk="Microsoft.NET.Sdk">\n  <PropertyGroup>\n    <TargetFramework>netstandard2.0</TargetFramework>\n    <PackageId>${type}</PackageId>\n    <Version>0.0.0</Version>\n    <Description>What it does, in one sentence.</Description>\n    <PackageLicenseExpression>MIT</PackageLicenseExpression>\n    <PackageReadmeFile>README.md</PackageReadmeFile>\n  </PropertyGroup>\n  <ItemGroup>\n    <None Include="README.md" Pack="true" PackagePath="/" />\n  </ItemGroup>\n</Project>\n`,
      },
      {
        file: `${type}.cs`,
        text: `namespace ${type}\n{\n    /// <summary>What ${name} does, in one sentence.</summary>\n    public static class Library\n    {\n        public static int Answer() => 42;\n    }\n}\n`,
      },
      { file: 'check.sh', text: 'set -e\ndotnet build -c Release\n' },
    ];
  },
  rust: ({ name }) => [
    {
      file: 'Cargo.toml',
      text: `[package]\nname = "${name}"\nversion = "0.0.0"\nedition = "2021"\ndescription = "What it does, in one sentence."\nlicense = "MIT"\n`,
    },
    {
      file: 'src/lib.rs',
      text: '//! What it does, in one sentence.\n\npub fn answer() -> u32 {\n    42\n}\n\n#[cfg(test)]\nmod tests {\n    #[test]\n    fn it_answers() {\n        assert_eq!(super::answer(), 42);\n    }\n}\n',
    },
  ],
  go: ({ name }, word) => [
    { file: 'go.mod', text: `module git.example/${name}\n\ngo 1.21\n` },
    {
      file: `${word}.go`,
      text: `// Package ${word} does one thing.\npackage ${word}\n\n// Answer returns the answer.\nfunc Answer() int {\n\treturn 42\n}\n`,
    },
    {
      file: `${word}_test.go`,
      text: `package ${word}\n\nimport "testing"\n\nfunc TestAnswer(t *testing.T) {\n\tif Answer() != 42 {\n\t\tt.Fatal("no answer")\n\t}\n}\n`,
    },
  ],
  native: ({ name }, word) => [
    {
      file: 'CMakeLists.txt',
      text: `cmake_minimum_required(VERSION 3.16)\nproject(${name} VERSION 0.0.0 DESCRIPTION "What it does, in one sentence." LANGUAGES C)\ninclude(GNUInstallDirs)\nadd_library(${word} src/${word}.c)\ntarget_include_directories(${word} PUBLIC include)\ninstall(TARGETS ${word})\ninstall(FILES include/${word}.h DESTINATION \${CMAKE_INSTALL_INCLUDEDIR})\nenable_testing()\nadd_executable(test_${word} tests/test_${word}.c)\ntarget_link_libraries(test_${word} ${word})\nadd_test(NAME answer COMMAND test_${word})\n`,
    },
    { file: `include/${word}.h`, text: '#pragma once\n\nint answer(void);\n' },
    { file: `src/${word}.c`, text: `#include "${word}.h"\n\nint answer(void) { return 42; }\n` },
    {
      file: `tests/test_${word}.c`,
      text: `#include "${word}.h"\n\nint main(void) { return answer() == 42 ? 0 : 1; }\n`,
    },
  ],
  plain: () => [
    { file: 'table.csv', text: 'question,answer\neverything,42\n' },
    { file: 'check.sh', text: "set -e\ngrep -q ',42$' table.csv\n" },
  ],
};

function pascal(word: string): string {
  return word.replace(/(?:^|_)([a-z0-9])/g, (_, letter: string) => letter.toUpperCase());
}

/** The MIT licence, as SPDX lists it. */
function mit(holder: string, year: number): string {
  return `MIT License

Copyright (c) ${year} ${holder}

Permission is hereby granted, free of charge, to any person obtaining a copy of this software and associated documentation files (the "Software"), to deal in the Software without restriction, including without limitation the rights to use, copy, modify, merge, publish, distribute, sublicense, and/or sell copies of the Software, and to permit persons to whom the Software is furnished to do so, subject to the following conditions:

The above copyright notice and this permission notice shall be included in all copies or substantial portions of the Software.

THE SOFTWARE IS PROVIDED "AS IS", WITHOUT WARRANTY OF ANY KIND, EXPRESS OR IMPLIED, INCLUDING BUT NOT LIMITED TO THE WARRANTIES OF MERCHANTABILITY, FITNESS FOR A PARTICULAR PURPOSE AND NONINFRINGEMENT. IN NO EVENT SHALL THE AUTHORS OR COPYRIGHT HOLDERS BE LIABLE FOR ANY CLAIM, DAMAGES OR OTHER LIABILITY, WHETHER IN AN ACTION OF CONTRACT, TORT OR OTHERWISE, ARISING FROM, OUT OF OR IN CONNECTION WITH THE SOFTWARE OR THE USE OR OTHER DEALINGS IN THE SOFTWARE.
`;
}
