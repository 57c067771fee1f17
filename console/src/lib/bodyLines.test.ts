// @vitest-environment jsdom
import { describe, expect, it } from 'vitest';
import {
  bodyLines,
  findLines,
  linesAround,
  member,
  pathOf,
  pointerOf,
  shownLines,
  textLines,
  textOf,
} from './bodyLines';

/** The lines as they look, with their paths. */
function told(body: string): string[][] {
  const all = bodyLines(body);
  return all.lines.map((line, at) => ['  '.repeat(line.depth) + textOf(line), pathOf(all, at)]);
}

describe('bodyLines', () => {
  it('lays out JSON, keeps digits and order, and knows where each line stands', () => {
    expect(told('{"metres":18.0,"a b":[{"n":1e2},[],"x,]"],"none":{},"{":null}')).toEqual([
      ['{', '$'],
      ['  "metres": 18.0,', '$.metres'],
      ['  "a b": [', "$['a b']"],
      ['    {', "$['a b'][0]"],
      ['      "n": 1e2', "$['a b'][0].n"],
      ['    },', ''],
      ['    [],', "$['a b'][1]"],
      ['    "x,]"', "$['a b'][2]"],
      ['  ],', ''],
      ['  "none": {},', '$.none'],
      ['  "{": null', "$['{']"],
      ['}', ''],
    ]);
    const all = bodyLines('{"a/b":[{"c~d":true}]}');
    expect(pointerOf(all, 3)).toBe('/a~1b/0/c~0d');
    expect(all.lines[3]?.value).toBe('true');
  });

  it('lays out XML by its elements', () => {
    expect(
      told(
        '<?xml version="1.0"?><s:e xmlns:s="urn:s" at="&lt;&quot;"><b>1</b><!-- c --><b>2 &amp; 3</b><n/><m>text<i/></m></s:e>',
      ),
    ).toEqual([
      ['<?xml version="1.0"?>', ''],
      ['<s:e xmlns:s="urn:s" at="&lt;&quot;">', '/e'],
      ['  <b>1</b>', '/e/b[1]'],
      ['  <!-- c -->', ''],
      ['  <b>2 &amp; 3</b>', '/e/b[2]'],
      ['  <n/>', '/e/n'],
      ['  <m>', '/e/m'],
      ['    text', ''],
      ['    <i/>', '/e/m/i'],
      ['  </m>', ''],
      ['</s:e>', ''],
    ]);
    expect(bodyLines('<e>2 &amp; 3</e>').lines[0]?.value).toBe('2 & 3');
    expect(told('<e><![CDATA[<b>]]></e>')).toEqual([['<e><![CDATA[<b>]]></e>', '/e']]);
    expect(bodyLines('<e><![CDATA[<b>]]></e>').lines[0]?.value).toBe('<b>');
  });

  it.each(['{"cut": [1, ', '<e><f></e>', 'a\nb', '"only text"'])('shows %j as it is', (body) => {
    const { notation, lines } = bodyLines(body);
    expect([notation, lines.map(textOf).join('\n')]).toEqual(['text', body]);
  });

  it('cuts lines that are too long', () => {
    expect(textLines(`${'x'.repeat(9_000)}\n`).lines.map((line) => textOf(line).length)).toEqual([
      4_000, 4_000, 1_000, 0,
    ]);
  });
});

describe('folding and finding', () => {
  const { lines } = bodyLines('{"berths":[{"number":"N7"},{"number":"n9"}],"total":2}');
  it('leaves out what is folded, and says what it is', () => {
    expect(shownLines(lines, new Set())).toHaveLength(lines.length);
    expect(shownLines(lines, new Set([1]))).toEqual([0, 1, 9, 10]);
    expect([lines[1]?.folded, lines[2]?.folded]).toEqual(['2 elements ]', '1 field }']);
    expect(shownLines(lines, new Set([0, 1]))).toEqual([0]);
  });
  it('finds text in any case, and what it is in', () => {
    expect(findLines(lines, 'N')).toEqual([3, 6]);
    expect(findLines(lines, 'n9')).toEqual([6]);
    expect(findLines(lines, '')).toEqual([]);
    expect(linesAround(lines, 6)).toEqual([5, 1, 0]);
  });
});

it.each([
  ['a_1', '.a_1'],
  ['call-sign', "['call-sign']"],
  ["it's\n\\", "['it\\'s\\n\\\\']"],
  [3, '[3]'],
])('%j is the step %s', (step, path) => expect(member(step)).toBe(path));
