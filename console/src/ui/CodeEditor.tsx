import { defaultKeymap, history, historyKeymap } from '@codemirror/commands';
import { json, jsonParseLinter } from '@codemirror/lang-json';
import { xml } from '@codemirror/lang-xml';
import { yaml } from '@codemirror/lang-yaml';
import { bracketMatching, foldGutter, HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { type Diagnostic, linter, lintGutter, setDiagnostics } from '@codemirror/lint';
import { highlightSelectionMatches, search, searchKeymap } from '@codemirror/search';
import { Compartment, EditorState } from '@codemirror/state';
import { EditorView, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { useQuery } from '@tanstack/react-query';
import { useEffect, useRef } from 'react';
import { functionsQuery } from '@/api/functions';
import { variablesQuery } from '@/api/variables';
import { type CallKnown, expressionHelp } from './expressionHelp';

export interface Mark {
  /** From 1; without one the mark stands at the beginning. */
  line?: number;
  column?: number;
  detail: string;
}

interface Props {
  language: 'json' | 'xml' | 'yaml' | 'text';
  /** The accessible name of the text. */
  label: string;
  value: string;
  /** None for a text that is only to be read. */
  onChange?(value: string): void;
  /** What somebody else found wrong with it. */
  marks?: Mark[];
  /** Expressions may stand in it: their functions are completed and explained. */
  expressions?: boolean;
  /** The call that they are written for: its names are completed, and their values shown. */
  known?: CallKnown;
}

const look = EditorView.theme({
  '&': { height: '100%', fontSize: '12.5px', backgroundColor: 'var(--panel)', color: 'var(--ink)' },
  '.cm-content': { fontFamily: 'var(--font-mono)', caretColor: 'var(--ink)' },
  '.cm-gutters': { backgroundColor: 'var(--sunken)', color: 'var(--dim)', border: 'none' },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '&.cm-focused > .cm-scroller > .cm-selectionLayer .cm-selectionBackground, .cm-selectionBackground': {
    backgroundColor: 'color-mix(in srgb, var(--accent) 28%, transparent)',
  },
  '.cm-tooltip': { backgroundColor: 'var(--panel)', color: 'var(--ink)', border: '1px solid var(--line)' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': {
    backgroundColor: 'var(--accent)',
    color: 'var(--panel)',
  },
  '.cm-value': { color: 'var(--dim)', fontStyle: 'italic' },
  '.cm-value-fault': { color: 'var(--bad)', fontWeight: '600' },
  '.cm-completionDetail': { color: 'var(--dim)', fontStyle: 'normal' },
  '.cm-tooltip-autocomplete li[aria-selected] .cm-completionDetail': { color: 'inherit' },
  '.cm-panels': { backgroundColor: 'var(--sunken)', color: 'var(--ink)' },
  '.cm-foldPlaceholder': { backgroundColor: 'var(--sunken)', color: 'var(--dim)', border: 'none' },
});

const colors = HighlightStyle.define([
  { tag: [tags.propertyName, tags.tagName], color: 'var(--contract)' },
  { tag: tags.attributeName, color: 'var(--mapping)' },
  { tag: tags.string, color: 'var(--good)' },
  { tag: tags.number, color: 'var(--mapping)' },
  { tag: [tags.bool, tags.null], color: 'var(--miss)' },
]);

const languages = {
  json: [json(), linter(jsonParseLinter()), lintGutter()],
  xml: [xml(), linter(xmlLinter), lintGutter()],
  yaml: [yaml(), lintGutter()],
  text: [],
};

function diagnosticsOf(state: EditorState, marks: Mark[]): Diagnostic[] {
  return marks.map(({ line, column = 1, detail }) => {
    const at = state.doc.line(Math.min(Math.max(line ?? 1, 1), state.doc.lines));
    const from = Math.min(at.from + column - 1, at.to);
    return { from, to: at.to, severity: 'error', message: detail };
  });
}

/** Marks where a text stops being XML. */
function xmlLinter(view: EditorView): Diagnostic[] {
  const text = view.state.doc.toString();
  if (text.trim() === '') return [];
  const wrong = new DOMParser().parseFromString(text, 'application/xml').querySelector('parsererror');
  const place = /line (\d+) at column (\d+): ([^\n]*)/.exec(wrong?.textContent ?? '');
  if (!wrong) return [];
  const line = view.state.doc.line(Math.min(Number(place?.[1] ?? 1), view.state.doc.lines));
  return [
    {
      from: line.from,
      to: line.to,
      severity: 'error',
      message: `Not XML: ${place?.[3] ?? 'it does not parse'}`,
    },
  ];
}

const nonce = document.querySelector<HTMLMetaElement>('meta[property=csp-nonce]')?.nonce ?? '';

/** A text with folding, search and undo; JSON and XML are checked as typed. */
export function CodeEditor({ language, label, value, onChange, marks, expressions = false, known }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(null);
  const latest = useRef({ value, onChange });
  latest.current = { value, onChange };
  const readOnly = !onChange;
  const { data: functions } = useQuery({ ...functionsQuery, enabled: expressions && !readOnly });
  const { data: variables } = useQuery({
    ...variablesQuery,
    enabled: expressions && !readOnly,
    refetchInterval: false,
  });
  const help = useRef(new Compartment());

  useEffect(() => {
    if (!box.current) return;
    const editor = new EditorView({
      parent: box.current,
      state: EditorState.create({
        doc: latest.current.value,
        extensions: [
          EditorView.cspNonce.of(nonce),
          lineNumbers(),
          foldGutter(),
          history(),
          bracketMatching(),
          search({ top: true }),
          highlightSelectionMatches(),
          keymap.of([...defaultKeymap, ...historyKeymap, ...searchKeymap]),
          EditorView.lineWrapping,
          EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
          EditorState.readOnly.of(readOnly),
          look,
          syntaxHighlighting(colors),
          languages[language],
          help.current.of([]),
          EditorView.updateListener.of((update) => {
            if (update.docChanged) latest.current.onChange?.(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = editor;
    return () => editor.destroy();
  }, [language, label, readOnly]);

  useEffect(() => {
    const editor = view.current;
    if (!editor || editor.state.doc.toString() === value) return;
    editor.dispatch({ changes: { from: 0, to: editor.state.doc.length, insert: value } });
  }, [value]);

  // biome-ignore lint/correctness/useExhaustiveDependencies: an editor that was made anew has none
  useEffect(() => {
    if (!functions) return;
    const extension = expressionHelp(functions, variables?.resolved ?? [], known);
    view.current?.dispatch({ effects: help.current.reconfigure(extension) });
  }, [functions, variables, known, language, label, readOnly]);

  useEffect(() => {
    const editor = view.current;
    if (editor && marks) editor.dispatch(setDiagnostics(editor.state, diagnosticsOf(editor.state, marks)));
  }, [marks]);

  return <div ref={box} className="min-h-0 flex-1 overflow-hidden rounded border border-line" />;
}
