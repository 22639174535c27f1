import { plainClass, type StorageClass } from '@moorage/core/classes/storage-class';
import type { PlacementState } from '@moorage/contract/moorings';
import { waitFor } from '@testing-library/react';
import { aPoolState, aState } from '../moorings/testing';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { aClaimRow } from '../testing/rows';
import { NewClaim } from './NewClaim';

// where it would land is worked out in a worker, which has tests of its own
jest.mock('../moorings/useTrial', () => ({ useTrial: () => ({}) }));

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

describe('as a manifest', () => {
  const write = async (answers: ConstructorParameters<typeof FakeServer>[0]) => {
    const shown = await drawn(answers);
    await shown.user.click(screen.getByRole('button', { name: 'as a manifest' }));
    await shown.user.click(screen.getByLabelText('Manifest, YAML or JSON'));
    await shown.user.paste('kind: PersistentVolumeClaim');
    await shown.user.click(screen.getByRole('button', { name: 'Make them' }));
    return shown;
  };

  test('what was made is named, and its claim is shown in the Line', async () => {
    const made = [
      { kind: 'StorageClass', namespace: null, name: 'ledger' },
      { kind: 'PersistentVolumeClaim', namespace: 'ferry-desk', name: 'log' },
    ];
    const { server, closed } = await write({ createFromManifest: () => ({ made }) });
    await waitFor(() => expect(closed).toHaveBeenCalled());
    expect(server.of('createFromManifest')[0]!.body).toEqual({ text: 'kind: PersistentVolumeClaim' });
    expect(await screen.findByText('Made: ledger, ferry-desk/log.')).toBeTruthy();
    expect(window.location.search).toBe('?line=ferry-desk%2Flog');
  });

  test('a refusal is told and the text stays; typing on takes the refusal away', async () => {
    const { user, closed } = await write({
      createFromManifest: () => new Refused(422, 'Line 1: metadata is missing.'),
    });
    expect((await screen.findByRole('alert')).textContent).toBe('Line 1: metadata is missing.');
    expect(closed).not.toHaveBeenCalled();
    await user.type(screen.getByLabelText('Manifest, YAML or JSON'), '!');
    expect(screen.queryByRole('alert')).toBeNull();
    expect(screen.getByLabelText<HTMLTextAreaElement>('Manifest, YAML or JSON').value).toBe(
      'kind: PersistentVolumeClaim!',
    );
  });
});
