import { plainClass, type StorageClass } from '@moorage/core/classes/storage-class';
import type { PlacementState } from '@moorage/contract/moorings';
import { fireEvent, waitFor } from '@testing-library/react';
import { aPoolState, aState } from '../moorings/testing';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { NewClaim } from './NewClaim';

// where it would land is worked out in a worker, which has tests of its own
jest.mock('../moorings/useTrial', () => ({ useTrial: () => ({}) }));
// the editor measures its text, which no test of this kind can
jest.mock('../classes/ManifestEditor', () => ({
  __esModule: true,
  default: ({ text, onChange, label }: { text: string; onChange: (text: string) => void; label: string }) => (
    <textarea aria-label={label} value={text} onChange={(e) => onChange(e.target.value)} />
  ),
}));

const cls = (name: string, part: Partial<StorageClass> = {}) =>
  ({ ...plainClass, ...part, name }) as PlacementState['classes'][number];
const state = aState({
  classes: [
    cls('general'),
    cls('ledger', { allowances: [{ setting: 'iops-floor', minimum: 100, maximum: 5000, namespaces: [] }] }),
  ],
  defaultClass: 'general',
  pools: [aPoolState('kelp-nvme')],
  namespaces: ['ferry-desk', 'tide-gauges'],
});

const drawn = async (
  answers: ConstructorParameters<typeof FakeServer>[0] = {},
  { at = '/claims', person = maren } = {},
) => {
  const closed = jest.fn();
  const server = new FakeServer({ placementState: () => state, ...answers });
  const shown = show(<NewClaim open close={closed} />, { at, person });
  await screen.findByLabelText('Name');
  return { server, closed, ...shown };
};
const made = () => aClaimRow('level-log', { namespace: 'ferry-desk', state: 'binding' });
const make = { name: 'Make claim' };

test('a claim is asked for as it was filled in, told, shown in the Line, and the drawer closes', async () => {
  const { user, server, closed } = await drawn({ createClaim: made });
  await user.type(screen.getByLabelText('Name'), 'level-log');
  await user.clear(screen.getByLabelText('Size'));
  await user.type(screen.getByLabelText('Size'), '1.5Ti');
  await user.click(screen.getByRole('button', make));
  await waitFor(() => expect(closed).toHaveBeenCalled());
  expect(server.of('createClaim')[0]!.body).toEqual({
    ...{ namespace: 'ferry-desk', name: 'level-log', size: '1.5Ti' },
    ...{ modes: ['ReadWriteOnce'], volumeMode: 'Filesystem' },
  });
  expect(await screen.findByText('Claim ferry-desk/level-log is made.')).toBeTruthy();
  expect(window.location.search).toBe('?line=ferry-desk%2Flevel-log');
});

test('what a class lets a claim tune is asked for, within its bounds, and sent as a number', async () => {
  const { user, server } = await drawn({ createClaim: made });
  expect(screen.queryByRole('group', { name: 'What it tunes' })).toBeNull();
  await user.type(screen.getByLabelText('Name'), 'level-log');
  await user.click(screen.getByRole('combobox', { name: 'Class' }));
  await user.click(await screen.findByRole('option', { name: 'ledger' }));
  const tuned = await screen.findByPlaceholderText('100 to 5000');
  await user.type(tuned, '900');
  await user.click(screen.getByRole('button', make));
  await waitFor(() => expect(server.of('createClaim')).toHaveLength(1));
  expect(server.of('createClaim')[0]!.body).toMatchObject({ className: 'ledger', tuned: { 'iops-floor': 900 } });
});

test('a tuned field that is emptied again is not sent', async () => {
  const { user, server } = await drawn({ createClaim: made });
  await user.type(screen.getByLabelText('Name'), 'level-log');
  await user.click(screen.getByRole('combobox', { name: 'Class' }));
  await user.click(await screen.findByRole('option', { name: 'ledger' }));
  const tuned = await screen.findByPlaceholderText('100 to 5000');
  await user.type(tuned, '900');
  await user.clear(tuned);
  await user.click(screen.getByRole('button', make));
  await waitFor(() => expect(server.of('createClaim')).toHaveLength(1));
  expect(server.of('createClaim')[0]!.body).not.toHaveProperty('tuned');
});

test.each([
  ['Name', 'Level Log', /Only a-z, 0-9/],
  ['Size', '80 apples', /Not a size/],
  ['Size', '0', /above zero/],
])('%s "%s" is told beside the field and not sent', async (label, text, said) => {
  const { user, server } = await drawn({ createClaim: made });
  if (label !== 'Name') await user.type(screen.getByLabelText('Name'), 'level-log');
  await user.clear(screen.getByLabelText(label));
  await user.type(screen.getByLabelText(label), text);
  await user.click(screen.getByRole('button', make));
  expect(await screen.findByText(said)).toBeTruthy();
  expect(server.of('createClaim')).toEqual([]);
});

test.each([
  ['the field that it names', new Refused(422, 'No such size here.', 'size'), 'Size'],
  ['the foot of the form when it names none', new Refused(403, 'Not for you.'), undefined],
])('what the server refuses stands at %s, and nothing typed is lost', async (_where, refusal, label) => {
  const { user, closed } = await drawn({ createClaim: () => refusal });
  await user.type(screen.getByLabelText('Name'), 'level-log');
  await user.click(screen.getByRole('button', make));
  expect(await screen.findByText(refusal.detail)).toBeTruthy();
  if (label) expect(screen.getByLabelText(label).getAttribute('aria-invalid')).toBe('true');
  else expect(screen.getByRole('alert').textContent).toBe(refusal.detail);
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('level-log');
  expect(closed).not.toHaveBeenCalled();
});

test('a second try after a refusal is another request, not a repetition of the first', async () => {
  const keys: (string | null)[] = [];
  const { user, server } = await drawn({ createClaim: () => new Refused(409, 'Busy.') });
  const send = globalThis.fetch;
  globalThis.fetch = (url, init) => {
    if (init?.method === 'POST') keys.push(new Headers(init.headers).get('Idempotency-Key'));
    return send(url, init);
  };
  await user.type(screen.getByLabelText('Name'), 'level-log');
  await user.click(screen.getByRole('button', make));
  await screen.findByText('Busy.');
  await user.click(screen.getByRole('button', make));
  await waitFor(() => expect(server.of('createClaim')).toHaveLength(2));
  expect(keys[0]).toBeTruthy();
  expect(keys[1]).not.toBe(keys[0]);
});

test('a namespace owner is offered the own namespaces alone', async () => {
  const { user } = await drawn({}, { person: { ...maren, role: 'namespace-owner', namespaces: ['tide-gauges'] } });
  await user.click(screen.getByRole('combobox', { name: 'Namespace' }));
  expect((await screen.findAllByRole('option')).map((o) => o.textContent)).toEqual(['tide-gauges']);
});

test('the form begins with what another place filled in, and with nothing of an address that does not read', async () => {
  const as = encodeURIComponent(JSON.stringify({ name: 'copied', size: '5Gi', className: 'ledger' }));
  const { unmount } = await drawn({}, { at: `/claims?new=claim&as=${as}` });
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('copied');
  expect(screen.getByLabelText<HTMLInputElement>('Size').value).toBe('5Gi');
  unmount();
  await drawn({}, { at: '/claims?new=claim&as=%7Bbroken' });
  expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('');
});

describe('for a set', () => {
  test('one claim for each replica is asked for in one act', async () => {
    const { user, server, closed } = await drawn({
      createFromManifest: () => ({ made: [{}, {}, {}], changed: [], kept: [], refused: [] }),
    });
    await user.type(screen.getByLabelText('Name'), 'data-gauges');
    await user.type(screen.getByLabelText('For a set: replicas'), '3');
    expect(
      screen.getByText('data-gauges-0 to data-gauges-2, as a set’s pods look for them'.replace('’', "'")),
    ).toBeTruthy();
    await user.click(screen.getByRole('button', { name: 'Make 3 claims' }));
    await waitFor(() => expect(closed).toHaveBeenCalled());
    const { text } = server.of('createFromManifest')[0]!.body as { text: string };
    expect([...text.matchAll(/^ {2}name: (.*)$/gm)].map((m) => m[1])).toEqual([0, 1, 2].map((i) => `data-gauges-${i}`));
    expect(window.location.search).toBe('?line=ferry-desk%2Fdata-gauges-0');
  });

  test('more than a hundred are refused before anything is sent', async () => {
    const { user, server } = await drawn();
    await user.type(screen.getByLabelText('Name'), 'data-gauges');
    await user.type(screen.getByLabelText('For a set: replicas'), '500');
    expect(screen.getByText('1 to 100')).toBeTruthy();
    await user.click(screen.getByRole('button', make));
    expect([server.of('createFromManifest'), server.of('createClaim')]).toEqual([[], []]);
  });
});

describe('as a manifest', () => {
  const text = 'kind: PersistentVolumeClaim';
  const object = {
    line: 1,
    kind: 'PersistentVolumeClaim',
    namespace: 'ferry-desk',
    changes: [],
    objections: [],
    growth: null,
  };
  const plan = (...objects: object[]) => ({ planned: 'seen', objects: objects.map((o) => ({ ...object, ...o })) });
  const write = async (answers: ConstructorParameters<typeof FakeServer>[0]) => {
    const shown = await drawn(answers);
    await shown.user.click(screen.getByRole('button', { name: 'as a manifest' }));
    const editor = await screen.findByLabelText<HTMLTextAreaElement>('Manifest, YAML or JSON');
    await shown.user.clear(editor);
    await shown.user.click(editor);
    await shown.user.paste(text);
    return { ...shown, editor };
  };
  /** Once the plan is of the text as it is. */
  const ready = (name: string) =>
    waitFor(() => {
      const button = screen.getByRole<HTMLButtonElement>('button', { name });
      expect(button.disabled).toBe(false);
      return button;
    });
  const result = (part: object) => ({ made: [], changed: [], kept: [], refused: [], ...part });

  test('what was made is named, and its claim is shown in the Line', async () => {
    const made = [
      { kind: 'StorageClass', namespace: null, name: 'ledger' },
      { kind: 'PersistentVolumeClaim', namespace: 'ferry-desk', name: 'log' },
    ];
    const { user, server, closed } = await write({
      planManifest: () => plan({ name: 'ledger', namespace: null, fate: 'new' }, { name: 'log', fate: 'new' }),
      createFromManifest: () => result({ made }),
    });
    await user.click(await ready('Make 2'));
    await waitFor(() => expect(closed).toHaveBeenCalled());
    expect(server.of('createFromManifest')[0]!.body).toEqual({ text, planned: 'seen' });
    expect(await screen.findByText('Made: ledger, ferry-desk/log.')).toBeTruthy();
    expect(window.location.search).toBe('?line=ferry-desk%2Flog');
  });

  test('what is refused is named first with its reason, and can be left out', async () => {
    const { user, server } = await write({
      planManifest: () =>
        plan({ name: 'log', fate: 'new' }, { name: 'old', fate: 'refused', objections: [{ reason: 'not-bound' }] }),
      createFromManifest: () => result({ made: [{ ...object, name: 'log' }], refused: [{ ...object, name: 'old' }] }),
    });
    expect(await screen.findByText('2 objects: 1 new, 1 refused.')).toBeTruthy();
    const [first] = screen.getAllByRole('listitem');
    expect(first!.textContent).toMatch(/ferry-desk\/old.*Refused: its size can be changed once it has a volume/);
    const go = screen.getByRole<HTMLButtonElement>('button', { name: 'Make 1' });
    expect(go.disabled).toBe(true);
    await user.click(screen.getByLabelText('Leave out the 1 refused'));
    await user.click(await ready('Make 1'));
    await screen.findByText('Made: ferry-desk/log. Left out: ferry-desk/old.');
    expect(server.of('createFromManifest')[0]!.body).toEqual({ text, planned: 'seen', leaveOut: true });
  });

  test('a refusal is told and the text stays; typing on takes the refusal away', async () => {
    const { user, closed, editor } = await write({
      planManifest: () => plan({ name: 'log', fate: 'new' }),
      createFromManifest: () => new Refused(409, 'Somebody changed one of these objects.'),
    });
    await user.click(await ready('Make 1'));
    expect((await screen.findByRole('alert')).textContent).toBe('Somebody changed one of these objects.');
    expect(closed).not.toHaveBeenCalled();
    await user.type(editor, '!');
    expect(screen.queryByRole('alert')).toBeNull();
    expect(editor.value).toBe(`${text}!`);
  });

  test('form and manifest say the same, whichever is written in', async () => {
    const { user } = await drawn({ planManifest: () => plan({ name: 'log', fate: 'new' }) });
    await user.type(screen.getByLabelText('Name'), 'log');
    await user.click(screen.getByRole('button', { name: 'as a manifest' }));
    const editor = await screen.findByLabelText<HTMLTextAreaElement>('Manifest, YAML or JSON');
    expect(editor.value).toContain('name: log\n');
    fireEvent.change(editor, {
      target: { value: editor.value.replace('80Gi', '7Gi').replace('name: log', 'name: tide') },
    });
    await user.click(screen.getByRole('button', { name: 'as a form' }));
    expect(screen.getByLabelText<HTMLInputElement>('Name').value).toBe('tide');
    expect(screen.getByLabelText<HTMLInputElement>('Size').value).toBe('7Gi');
  });
});
