import { EditorView } from '@codemirror/view';
import { diagnose } from './diagnose';

const faulty = `apiVersion: storage.k8s.io/v1
kind: StorageClass
metadata:
  name: tide-desk
provisioner: vast-moorage.example
parameters:
  vast-moorage.example/copies: three
  vast-moorage.example/encrypted: "true"
`;

test('a mending that is pressed twice, or after lines were put before it, changes only what was found wrong', () => {
  const view = new EditorView({ doc: faulty });
  const [fault] = diagnose('now')(view);
  expect(fault!.message).toContain('"three" is not a value this setting takes');
  const note = '# for the desk\n';
  view.dispatch({ changes: { from: 0, insert: note } });
  const [mend] = fault!.actions!;
  const [from, to] = [fault!.from + note.length, fault!.to + note.length];
  mend!.apply(view, from, to);
  mend!.apply(view, from, to);
  expect(view.state.doc.toString()).toBe(note + faulty.replace('three', '"3"'));
  view.destroy();
});
