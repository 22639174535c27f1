import type { Diagnostic } from '@codemirror/lint';
import type { EditorView } from '@codemirror/view';
import { readManifestText } from '@moorage/manifests/text';

/** A class that has no name yet is no fault while its form is being filled in. */
const unnamed = (path: readonly (string | number)[], value: unknown): boolean =>
  path.join('.') === 'metadata.name' && (value as { metadata?: { name?: unknown } }).metadata?.name === '';

/** What is wrong in an editor's text, each fault with the mending that its line offers. */
export const diagnose =
  (naming: 'later' | 'now') =>
  (view: EditorView): Diagnostic[] => {
    const { doc } = view.state;
    const { length } = doc;
    const clamp = (offset: number) => Math.min(Math.max(offset, 0), length);
    return readManifestText(view.state.doc.toString()).flatMap((object) =>
      object.problems
        .filter((p) => naming === 'now' || !unnamed(p.path, object.value))
        .map(({ from, to, detail, fix }): Diagnostic => ({
          from: clamp(from),
          to: clamp(Math.max(to, from)),
          severity: 'error',
          message: detail,
          ...(fix && {
            actions: [
              {
                name: `Write ${fix.insert}`,
                // pressed twice, or after something else was written: only what was found wrong is replaced
                apply: (editor: EditorView, found: number) => {
                  const moved = found - clamp(from);
                  const place = { from: clamp(fix.span.from) + moved, to: clamp(fix.span.to) + moved };
                  const wrong = doc.sliceString(clamp(fix.span.from), clamp(fix.span.to));
                  if (editor.state.sliceDoc(place.from, place.to) === wrong)
                    editor.dispatch({ changes: { ...place, insert: fix.insert } });
                },
              },
            ],
          }),
        })),
    );
  };
