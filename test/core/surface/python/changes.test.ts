import { describe, expect, it } from 'vitest';
import { pythonSurfaceReader } from '../../../../src/core/surface/python/reader.ts';
import { bothWays, type Change, judge, sourceOf } from '../sources.ts';

/** The module `tidemark` before and after. */
const changes: readonly Change[] = [
  ['a function', '', 'def height(port): ...', 'addition', 'breaking'],
  ['a private function', '', 'def _height(port): ...', 'none', 'none'],
  ['a constant', '', 'LIMIT = 3', 'addition', 'breaking'],
  ['a class', '', 'class Tide: ...', 'addition', 'breaking'],
  ['a required parameter', 'def f(a): ...', 'def f(a, b): ...', 'breaking', 'breaking'],
  ['a parameter with a default', 'def f(a): ...', 'def f(a, b=1): ...', 'addition', 'breaking'],
  ['a parameter may be left out', 'def f(a, b): ...', 'def f(a, b=1): ...', 'compatible', 'breaking'],
  ['a parameter in front', 'def f(a): ...', 'def f(b=1, a=2): ...', 'breaking', 'breaking'],
  ['another name of a parameter', 'def f(a): ...', 'def f(b): ...', 'breaking', 'breaking'],
  ['another name of a parameter without a name for users', 'def f(a, /): ...', 'def f(b, /): ...', 'none', 'none'],
  ['a parameter can no longer be named', 'def f(a): ...', 'def f(a, /): ...', 'breaking', 'addition'],
  ['a parameter must be named', 'def f(a, b=1): ...', 'def f(a, *, b=1): ...', 'breaking', 'addition'],
  ['a required parameter by name', 'def f(a): ...', 'def f(a, *, b): ...', 'breaking', 'breaking'],
  ['an optional parameter by name', 'def f(a): ...', 'def f(a, *, b=1): ...', 'addition', 'breaking'],
  ['other order of parameters', 'def f(a, b): ...', 'def f(b, a): ...', 'breaking', 'breaking'],
  ['other order of parameters by name', 'def f(*, a, b): ...', 'def f(*, b, a): ...', 'none', 'none'],
  ['*args', 'def f(a): ...', 'def f(a, *rest): ...', 'addition', 'breaking'],
  ['**kwargs', 'def f(a): ...', 'def f(a, **options): ...', 'addition', 'breaking'],
  ['a named parameter becomes one of **kwargs', 'def f(*, a=1): ...', 'def f(**options): ...', 'addition', 'breaking'],
  ['another default', 'def f(a=1): ...', 'def f(a=2): ...', 'unknown', 'unknown'],
  ['async', 'def f(a): ...', 'async def f(a): ...', 'breaking', 'breaking'],
  ['a wider type of a parameter', 'def f(a: int): ...', 'def f(a: int | str): ...', 'compatible', 'breaking'],
  ['an optional type of a parameter', 'def f(a: int): ...', 'def f(a: Optional[int]): ...', 'compatible', 'breaking'],
  [
    'an abstract type of a parameter',
    'def f(a: list[int]): ...',
    'def f(a: Sequence[int]): ...',
    'compatible',
    'breaking',
  ],
  ['a number instead of an integer', 'def f(a: int): ...', 'def f(a: float): ...', 'compatible', 'breaking'],
  ['a wider result', 'def f() -> int: ...', 'def f() -> int | None: ...', 'breaking', 'compatible'],
  ['another result', 'def f() -> int: ...', 'def f() -> str: ...', 'breaking', 'breaking'],
  ['a result that only its name describes', 'def f() -> Port: ...', 'def f() -> Place: ...', 'unknown', 'unknown'],
  ['another spelling of a type', 'def f(a: typing.Optional[int]): ...', 'def f(a: "int | None"): ...', 'none', 'none'],
  ['types for the first time', 'def f(a): ...', 'def f(a: int) -> int: ...', 'none', 'none'],
  ['a method', 'class Tide:\n  x = 1', 'class Tide:\n  x = 1\n  def at(self): ...', 'addition', 'breaking'],
  ['a private method', 'class Tide:\n  x = 1', 'class Tide:\n  x = 1\n  def _at(self): ...', 'none', 'none'],
  [
    'an abstract method',
    'class Tide(ABC): ...',
    'class Tide(ABC):\n  @abstractmethod\n  def at(self): ...',
    'breaking',
    'breaking',
  ],
  [
    'a method becomes abstract',
    'class T(ABC):\n  def at(self): ...',
    'class T(ABC):\n  @abstractmethod\n  def at(self): ...',
    'breaking',
    'compatible',
  ],
  ['a property', 'class T:\n  def at(self): ...', 'class T:\n  @property\n  def at(self): ...', 'breaking', 'breaking'],
  [
    'a setter',
    'class T:\n  @property\n  def at(self): ...',
    'class T:\n  @property\n  def at(self): ...\n  @at.setter\n  def at(self, x): ...',
    'addition',
    'breaking',
  ],
  [
    'a static method',
    'class T:\n  @staticmethod\n  def at(): ...',
    'class T:\n  def at(self): ...',
    'breaking',
    'unknown',
  ],
  [
    'an attribute of objects',
    'class T:\n  def __init__(self): pass',
    'class T:\n  def __init__(self):\n    self.port = 1',
    'addition',
    'breaking',
  ],
  [
    'a parameter of the constructor',
    'class T:\n  def __init__(self, a): ...',
    'class T:\n  def __init__(self, a, b): ...',
    'breaking',
    'breaking',
  ],
  ['a constructor with parameters', 'class T: ...', 'class T:\n  def __init__(self, a): ...', 'breaking', 'breaking'],
  [
    'a method moves to a base',
    'class B: ...\nclass T(B):\n  def at(self): ...',
    'class B:\n  def at(self): ...\nclass T(B): ...',
    'addition',
    'breaking',
  ],
  [
    'a method moves to a private base',
    'class T:\n  def at(self): ...',
    'class _B:\n  def at(self): ...\nclass T(_B): ...',
    'none',
    'none',
  ],
  [
    'another base of an exception',
    'class TideError(ValueError): ...',
    'class TideError(Exception): ...',
    'breaking',
    'compatible',
  ],
  [
    'one more base',
    'class TideError(Exception): ...',
    'class TideError(Exception, ValueError): ...',
    'compatible',
    'breaking',
  ],
  [
    'a method that a foreign base may have',
    'class T(other.Base):\n  def at(self): ...',
    'class T(other.Base): ...',
    'unknown',
    'addition',
  ],
  ['a final class', 'class T: ...', '@final\nclass T: ...', 'breaking', 'addition'],
  [
    'a field of a data class',
    '@dataclass\nclass T:\n  a: int',
    '@dataclass\nclass T:\n  a: int\n  b: int',
    'breaking',
    'breaking',
  ],
  [
    'a field with a default',
    '@dataclass\nclass T:\n  a: int',
    '@dataclass\nclass T:\n  a: int\n  b: int = field(default=1)',
    'addition',
    'breaking',
  ],
  [
    'a frozen data class',
    '@dataclass\nclass T:\n  a: int',
    '@dataclass(frozen=True)\nclass T:\n  a: int',
    'breaking',
    'compatible',
  ],
  [
    'a part of a named tuple',
    'class T(NamedTuple):\n  a: int',
    'class T(NamedTuple):\n  a: int\n  b: int = 1',
    'breaking',
    'breaking',
  ],
  [
    'a key of a typed dictionary',
    'class T(TypedDict):\n  a: int',
    'class T(TypedDict):\n  a: int\n  b: int',
    'breaking',
    'breaking',
  ],
  [
    'a key that may be missing',
    'class T(TypedDict):\n  a: int',
    'class T(TypedDict):\n  a: int\n  b: NotRequired[int]',
    'addition',
    'breaking',
  ],
  ['a member of an enum', 'class P(Enum):\n  A = 1', 'class P(Enum):\n  A = 1\n  B = 2', 'addition', 'breaking'],
  [
    'a member of a protocol',
    'class P(Protocol):\n  x: int',
    'class P(Protocol):\n  x: int\n  def at(self): ...',
    'breaking',
    'breaking',
  ],
  ['another type of a constant', 'LIMIT = 3', 'LIMIT = "3"', 'breaking', 'breaking'],
  ['another value of a constant', 'LIMIT = 3', 'LIMIT = 4', 'none', 'none'],
  ['a class instead of a function', 'def T(a): ...', 'class T: ...', 'unknown', 'breaking'],
  [
    'an overload',
    '@overload\ndef f(a: int) -> int: ...\n@overload\ndef f(a: str) -> str: ...\ndef f(a): ...',
    '@overload\ndef f(a: int) -> int: ...\n@overload\ndef f(a: str) -> str: ...\n@overload\ndef f(a: bytes) -> bytes: ...\ndef f(a): ...',
    'addition',
    'breaking',
  ],
  ['another decorator', 'def f(a): ...', '@retried\ndef f(a): ...', 'unknown', 'unknown'],
  [
    'a name that __all__ leaves out',
    '__all__ = ["f"]\ndef f(): ...\ndef g(): ...',
    '__all__ = ["f", "g"]\ndef f(): ...\ndef g(): ...',
    'addition',
    'breaking',
  ],
  [
    'a private name that __all__ lists',
    'def _f(): ...',
    '__all__ = ["_f", "KEPT"]\ndef _f(): ...',
    'addition',
    'breaking',
  ],
  ['names that are made when asked for', 'def f(): ...', 'def __getattr__(name): ...', 'unknown', 'unknown'],
  [
    'a name only on some systems',
    'def f(a): ...',
    'if sys.platform == "win32":\n  def f(a): ...\nelse:\n  def f(a, b): ...',
    'unknown',
    'unknown',
  ],
  [
    'the same name in each branch',
    'def f(a): ...',
    'try:\n  from fast import f\nexcept ImportError:\n  def f(a): ...',
    'none',
    'none',
  ],
  [
    'what a program does when it is started',
    'def f(a): ...',
    'def f(a): ...\nif __name__ == "__main__":\n  def run(): ...',
    'none',
    'none',
  ],
];

const wheel = (text: string) =>
  sourceOf('tidemark-1.4.0-py3-none-any.whl', {
    'tidemark.py': `KEPT = 1\n${text}\n`,
  });

describe('a single change of a module', () => {
  it.each(bothWays(changes))('%s', async (_, old, now, answer) => {
    const found = await judge(pythonSurfaceReader, [wheel(old), wheel(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});

const base = { 'tidemark/__init__.py': 'from .core import Tide\n', 'tidemark/core.py': 'class Tide: ...\n' };

/** Whole wheels: files before and after, and fields of the metadata. */
const packages: readonly Change<{
  readonly files: Record<string, string>;
  readonly fields?: Record<string, unknown>;
}>[] = [
  ['a module', { files: base }, { files: { ...base, 'tidemark/moon.py': 'X = 1' } }, 'addition', 'breaking'],
  ['a private module', { files: base }, { files: { ...base, 'tidemark/_moon.py': 'X = 1' } }, 'none', 'none'],
  [
    'a class moves, and is still to be had where users have it',
    { files: { 'tidemark/__init__.py': 'from ._a import Tide', 'tidemark/_a.py': 'class Tide: ...' } },
    { files: { 'tidemark/__init__.py': 'from ._b import Tide', 'tidemark/_b.py': 'class Tide: ...' } },
    'none',
    'none',
  ],
  [
    'a name that is no longer passed on',
    { files: base },
    { files: { ...base, 'tidemark/__init__.py': '' } },
    'breaking',
    'addition',
  ],
  [
    'all names of a module',
    { files: { 'tidemark/__init__.py': 'from ._a import *', 'tidemark/_a.py': 'X = 1\nY = 2' } },
    { files: { 'tidemark/__init__.py': 'from ._a import *', 'tidemark/_a.py': '__all__ = ["X"]\nX = 1\nY = 2' } },
    'breaking',
    'addition',
  ],
  [
    'a stub stands for the source',
    { files: { 'tidemark/__init__.py': 'def f(*a, **k): ...', 'tidemark/__init__.pyi': 'def f(a: int) -> int: ...' } },
    {
      files: {
        'tidemark/__init__.py': 'def f(*a, **k): ...',
        'tidemark/__init__.pyi': 'def f(a: int, b: int) -> int: ...',
      },
    },
    'breaking',
    'breaking',
  ],
  ['the marker for types', { files: base }, { files: { ...base, 'tidemark/py.typed': '' } }, 'addition', 'breaking'],
  [
    'a program',
    { files: { ...base, 'tidemark-1.4.0.dist-info/entry_points.txt': '' } },
    { files: { ...base, 'tidemark-1.4.0.dist-info/entry_points.txt': '[console_scripts]\ntide = tidemark:main\n' } },
    'addition',
    'breaking',
  ],
  ['an extra', { files: base }, { files: base, fields: { 'Provides-Extra': 'plots' } }, 'addition', 'breaking'],
  [
    'a newer Python',
    { files: base, fields: { 'Requires-Python': '>=3.9' } },
    { files: base, fields: { 'Requires-Python': '>=3.10' } },
    'breaking',
    'compatible',
  ],
  [
    'the first range of Python',
    { files: base },
    { files: base, fields: { 'Requires-Python': '>=3.10' } },
    'unknown',
    'compatible',
  ],
  [
    'tests inside',
    { files: base },
    { files: { ...base, 'tidemark/tests/test_core.py': 'def test_it(): ...' } },
    'none',
    'none',
  ],
];

describe('a single change of a wheel', () => {
  it.each(bothWays(packages))('%s', async (_, old, now, answer) => {
    const source = ({ files, fields }: (typeof packages)[number][1]) =>
      sourceOf('tidemark-1.4.0-py3-none-any.whl', files, fields ?? {});
    const found = await judge(pythonSurfaceReader, [source(old), source(now)]);
    expect(found.answer, found.whys.join('\n')).toBe(answer);
  });
});
