import type { Grants } from '@moorage/contract/classes';
import { waitFor } from '@testing-library/react';
import { FakeServer, maren, screen, show } from '../testing/render';
import { GrantsOf, labelsOf } from './GrantsOf';

const namespace = (name: string, part: object = {}) => ({
  namespace: name,
  granted: false,
  quota: null,
  used: 0,
  claims: 0,
  labels: { 'kubernetes.io/metadata.name': name, team: 'desk' },
  ...part,
});
const grants = (part: Partial<Grants> = {}) =>
  ({
    className: 'ledger',
    open: false,
    version: 3,
    namespaces: [
      namespace('ferry-desk', { granted: true }),
      namespace('wave-model', { labels: { team: 'hydrography' }, claims: 2 }),
      namespace('tide-gauges', { labels: { team: 'hydrography' } }),
    ],
    ...part,
  }) as unknown as Grants;

test('labels are counted, without the name that each namespace carries of itself', () =>
  expect(labelsOf(grants().namespaces)).toEqual([
    { label: 'team=desk', count: 1 },
    { label: 'team=hydrography', count: 2 },
  ]));

test('one is granted, and taken back', async () => {
  const server = new FakeServer({ getGrants: () => grants(), changeGrants: () => grants() });
  const { user } = show(<GrantsOf name="ledger" />);
  await user.click(await screen.findByRole('checkbox', { name: 'Grant ledger to tide-gauges' }));
  await screen.findByText('ledger is granted to tide-gauges.');
  expect(server.of('changeGrants')[0]).toMatchObject({
    params: { name: 'ledger' },
    body: { set: [{ namespace: 'tide-gauges', granted: true }] },
  });
  await user.click(screen.getByRole('button', { name: 'Undo' }));
  await waitFor(() =>
    expect(server.of('changeGrants')[1]!.body).toEqual({ set: [{ namespace: 'tide-gauges', granted: false }] }),
  );
});

test('many are granted by what they carry, those alone that were not', async () => {
  const server = new FakeServer({ getGrants: () => grants(), changeGrants: () => grants() });
  const { user } = show(<GrantsOf name="ledger" />);
  await user.click(await screen.findByRole('combobox', { name: 'By label' }));
  await user.click(await screen.findByRole('option', { name: 'team=hydrography (2)' }));
  await user.click(screen.getByRole('button', { name: 'Grant to these 2' }));
  await screen.findByText('ledger is granted to 2 namespaces.');
  expect(server.of('changeGrants')[0]!.body).toEqual({
    set: [
      { namespace: 'wave-model', granted: true },
      { namespace: 'tide-gauges', granted: true },
    ],
  });
});

test('a quota is sent in bytes when it is left, and not while it is no size', async () => {
  const server = new FakeServer({ getGrants: () => grants(), changeGrants: () => grants() });
  const { user } = show(<GrantsOf name="ledger" />);
  const quota = await screen.findByLabelText('Quota of ferry-desk in ledger');
  await user.type(quota, 'lots');
  await user.tab();
  expect(server.of('changeGrants')).toEqual([]);
  await user.clear(quota);
  await user.type(quota, '0{Enter}');
  expect(await screen.findByText('Above zero.')).toBeTruthy();
  expect(server.of('changeGrants')).toEqual([]);
  await user.clear(quota);
  await user.type(quota, '3Ti{Enter}');
  await waitFor(() =>
    expect(server.of('changeGrants')[0]!.body).toEqual({ set: [{ namespace: 'ferry-desk', quota: 3 * 2 ** 40 }] }),
  );
});

test('who may only look sees who is granted it and changes nothing', async () => {
  new FakeServer({ getGrants: () => grants() });
  show(<GrantsOf name="ledger" />, { person: { ...maren, role: 'viewer' } });
  await screen.findByText('ferry-desk');
  expect(screen.queryByRole('button', { name: /Grant to/ })).toBeNull();
});
