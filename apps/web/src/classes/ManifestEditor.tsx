import { acceptCompletion, autocompletion, type CompletionContext } from '@codemirror/autocomplete';
import { defaultKeymap, history, historyKeymap, indentWithTab } from '@codemirror/commands';
import { yaml } from '@codemirror/lang-yaml';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { forceLinting, linter, lintGutter, lintKeymap } from '@codemirror/lint';
import { Compartment, EditorState } from '@codemirror/state';
import { EditorView, keymap, lineNumbers } from '@codemirror/view';
import { tags } from '@lezer/highlight';
import { useTheme } from '@mui/material/styles';
import { parameters, prefix } from '@moorage/core/classes/manifest';
import { useEffect, useRef } from 'react';
import type { Tokens } from '../theme/tokens';
import { mono } from '../theme/theme';
import { diagnose } from './diagnose';

const look = (t: Tokens) => [
  EditorView.theme(
    {
      '&': { backgroundColor: t.sheet, color: t.ink, fontSize: '12.5px', height: '100%' },
      '.cm-content': { fontFamily: mono, caretColor: t.ink, lineHeight: '18px' },
      '.cm-gutters': {
        lineHeight: '18px',
        fontFamily: mono,
        backgroundColor: t.sheet,
        color: t.secondInk,
        borderRight: `1px solid ${t.rule}`,
      },
      '.cm-cursor': { borderLeftColor: t.ink },
      '&.cm-focused': { outline: `2px solid ${t.tide}` },
      '.cm-selectionBackground, &.cm-focused .cm-selectionBackground': { backgroundColor: t.depth[1] },
      '.cm-tooltip': { backgroundColor: t.sheet, color: t.ink, border: `1px solid ${t.rule}`, borderRadius: 0 },
      '.cm-tooltip-autocomplete ul li[aria-selected]': { backgroundColor: t.depth[1], color: t.onDepth[1] },
      '.cm-diagnostic': { borderLeft: `3px solid ${t.buoy}` },
      '.cm-diagnosticAction': { backgroundColor: t.ink, color: t.sheet, borderRadius: 0 },
      '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: `2px solid ${t.buoy}` },
    },
    { dark: t.sheet.startsWith('#1') },
  ),
  syntaxHighlighting(
    HighlightStyle.define([
      { tag: tags.propertyName, color: t.tide, fontWeight: '600' },
      { tag: [tags.string, tags.number, tags.bool], color: t.ink },
      { tag: tags.comment, color: t.secondInk, fontStyle: 'italic' },
      { tag: [tags.punctuation, tags.separator, tags.meta], color: t.secondInk },
    ]),
  ),
];

const values: Readonly<Record<string, readonly string[]>> = {
  reclaimPolicy: ['Delete', 'Retain'],
  volumeBindingMode: ['Immediate', 'WaitForFirstConsumer'],
  allowVolumeExpansion: ['true', 'false'],
  provisioner: [prefix.slice(0, -1)],
  kind: ['StorageClass'],
  apiVersion: ['storage.k8s.io/v1'],
};

/** Names of our parameters while one is typed, and the values a member takes after its colon. */
function complete(context: CompletionContext) {
  const line = context.state.doc.lineAt(context.pos);
  const before = line.text.slice(0, context.pos - line.from);
  const value = /^\s*(?:vast-moorage\.example\/)?([\w-]+):\s*("?)([\w -]*)$/.exec(before);
  if (value) {
    const [, name = '', quote = '', typed = ''] = value;
    const parameter = before.includes(prefix) ? parameters[name] : undefined;
    const known = parameter ? (parameter.values ?? [parameter.example]) : values[name];
    if (!known) return null;
    return {
      from: context.pos - typed.length - quote.length,
      options: known.map((v) => ({ label: parameter ? `"${v}"` : v, detail: parameter?.about })),
    };
  }
  const key = /^\s*([\w./-]*)$/.exec(before);
  if (!key || (!context.explicit && key[1] === '')) return null;
  const members = Object.keys(values).map((label) => ({ label, apply: `${label}: ` }));
  const ours = Object.entries(parameters).map(([name, { about, example }]) => ({
    label: prefix + name,
    detail: about,
    apply: `${prefix}${name}: "${example}"`,
  }));
  return { from: context.pos - key[1]!.length, options: [...ours, ...members] };
}

/** A manifest to read and change: highlighted, completed, with what is wrong marked in its line and mended from there. */
export default function ManifestEditor({
  text,
  onChange,
  label,
  naming = 'now',
  readOnly = false,
}: {
  text: string;
  onChange: (text: string) => void;
  label: string;
  /** Whether a class without a name is told as a fault. */
  naming?: 'later' | 'now';
  /** Only to be read: unbroken lines, and the Tab key goes on to what comes next. */
  readOnly?: boolean;
}) {
  const { chart } = useTheme();
  const holder = useRef<HTMLDivElement>(null);
  const view = useRef<EditorView>(undefined);
  const theme = useRef(new Compartment());
  const change = useRef(onChange);
  change.current = onChange;
  // what was typed and told, and is not yet seen to come back as `text`
  const told = useRef<string[]>([]);
  const first = useRef({ text, chart, label, naming, readOnly });
  useEffect(() => {
    const start = first.current;
    const editor = new EditorView({
      parent: holder.current!,
      state: EditorState.create({
        doc: start.text,
        extensions: [
          lineNumbers(),
          history(),
          yaml(),
          theme.current.of(look(start.chart)),
          ...(start.readOnly
            ? [
                EditorState.readOnly.of(true),
                EditorView.editable.of(false),
                EditorView.contentAttributes.of({ tabindex: '0' }),
              ]
            : [
                autocompletion({ override: [complete] }),
                linter(diagnose(start.naming), { delay: 150 }),
                lintGutter(),
                EditorView.lineWrapping,
              ]),
          EditorView.contentAttributes.of({ 'aria-label': start.label, spellcheck: 'false' }),
          keymap.of([
            ...(start.readOnly ? [] : [{ key: 'Tab', run: acceptCompletion }, indentWithTab]),
            ...lintKeymap,
            ...historyKeymap,
            ...defaultKeymap,
          ]),
          EditorView.updateListener.of((update) => {
            if (!update.docChanged || update.transactions.some((t) => t.isUserEvent('moorage'))) return;
            told.current.push(update.state.doc.toString());
            change.current(update.state.doc.toString());
          }),
        ],
      }),
    });
    view.current = editor;
    // lines are as high as their letters, which may come later than the text
    void document.fonts.ready.then(() => editor.requestMeasure());
    return () => editor.destroy();
  }, []);
  useEffect(() => {
    view.current?.dispatch({ effects: theme.current.reconfigure(look(chart)) });
  }, [chart]);
  // what the questions wrote: put in without being told back as typed
  useEffect(() => {
    const editor = view.current;
    if (!editor) return;
    // typed here, and perhaps typed on since: putting it in again would move the caret
    const echo = told.current.lastIndexOf(text);
    if (echo >= 0) {
      told.current.splice(0, echo + 1);
      return;
    }
    told.current = [];
    const now = editor.state.doc.toString();
    if (now === text) return;
    let from = 0;
    while (from < now.length && from < text.length && now[from] === text[from]) from += 1;
    let end = 0;
    while (end < now.length - from && end < text.length - from && now.at(-1 - end) === text.at(-1 - end)) end += 1;
    editor.dispatch({
      changes: { from, to: now.length - end, insert: text.slice(from, text.length - end) },
      userEvent: 'moorage',
    });
    forceLinting(editor);
  }, [text]);
  return <div ref={holder} style={{ height: '100%', minHeight: 0 }} />;
}
