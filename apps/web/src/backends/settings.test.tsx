import type { BackendRow, PoolRow } from '@moorage/contract/backends';
import { waitFor } from '@testing-library/react';
import { aPoolState } from '../moorings/testing';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { BackendSettings } from './BackendSettings';
import { PoolSettings } from './PoolSettings';

const GiB = 2 ** 30;
const pool = aPoolState('basalt-swift', { overcommit: 2, softMark: 0.7, hardMark: 0.85, version: 4 }) as PoolRow;

describe('limits of a pool', () => {
  const open = async (server: FakeServer, person = maren) => {
    const shown = show(<PoolSettings pool={pool} />, { person });
    await shown.user.click(screen.getByRole('button', { name: 'Limits of basalt-swift' }));
    expect(server.unanswered).toEqual([]);
    return shown;
  };
  const retype = async (user: Awaited<ReturnType<typeof open>>['user'], label: string, text: string) => {
    const field = screen.getByLabelText(label);
    await user.clear(field);
    if (text) await user.type(field, text);
  };

  test('are sent as they are kept: shares, bytes, bytes per second; with the version that was read, and a way back', async () => {
    const server = new FakeServer({ changePool: () => ({ ...pool, version: 5 }) });
    const { user } = await open(server);
    await retype(user, 'Overcommit', '3');
    await retype(user, 'Soft mark, %', '75');
    await retype(user, 'Allotment', '20Ti');
    await retype(user, 'Allotment, MB/s', '800');
    await retype(user, 'Price of a GiB', '0.04');
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    await screen.findByText('The limits of basalt-swift are changed.');
    const [call] = server.of('changePool');
    expect(call).toMatchObject({
      params: { pool: 'basalt-swift' },
      version: '"4"',
      body: {
        ...{ overcommit: 3, softMark: 0.75, hardMark: 0.85, allotment: 20 * 1024 * GiB },
        ...{ allotmentIops: null, allotmentThroughput: 800_000_000, price: 0.04, tier: null },
      },
    });
    await user.click(screen.getByRole('button', { name: 'Undo' }));
    await screen.findByText('Taken back.');
    expect(server.of('changePool')[1]).toMatchObject({
      version: '"5"',
      body: { overcommit: 2, softMark: 0.7, allotment: null, price: null },
    });
  });

  test.each([
    ['Overcommit', '0.5', 'A number from 1 to 10.'],
    ['Overcommit', '', 'A number from 1 to 10.'],
    ['Soft mark, %', '0', 'A number from 1 to 99.'],
    ['Hard mark, %', '101', 'A number from 1 to 100.'],
    ['Allotment, IOPS', 'many', 'A whole number.'],
  ])('%s "%s" is told beside the field and not sent', async (label, text, said) => {
    const server = new FakeServer({ changePool: () => pool });
    const { user } = await open(server);
    await retype(user, label, text);
    expect(await screen.findByText(said)).toBeTruthy();
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    expect(server.of('changePool')).toEqual([]);
  });

  test('that the server refuses stay open with its reason, and what was typed', async () => {
    const server = new FakeServer({ changePool: () => new Refused(422, 'The soft mark must be below the hard mark.') });
    const { user } = await open(server);
    await retype(user, 'Soft mark, %', '90');
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    expect(await screen.findByText('The soft mark must be below the hard mark.')).toBeTruthy();
    expect(screen.getByLabelText<HTMLInputElement>('Soft mark, %').value).toBe('90');
  });

  test('are not offered to who may only look', () => {
    new FakeServer({});
    show(<PoolSettings pool={pool} />, { person: { ...maren, role: 'viewer' } });
    expect(screen.queryByRole('button', { name: /Limits/ })).toBeNull();
  });
});

describe('settings of a backend', () => {
  const backend = {
    ...{ id: 'basalt', title: 'Basalt', username: 'moorage', sites: ['quayside'], cap: null, version: 7 },
    pools: [{ ...pool, reservedRaw: 10 * GiB, reservedBytes: 0 }],
  } as unknown as BackendRow;
  const answers = { whoAmI: () => maren, listBackends: () => [] };

  test('a cap says what it leaves, or that nothing new would bind, before it is applied', async () => {
    const server = new FakeServer({ ...answers, changeBackend: () => ({ ...backend, version: 8 }) });
    const { user } = show(<BackendSettings backend={backend} />);
    const cap = screen.getByLabelText('Cap over all its pools, raw');
    await user.type(cap, '5Gi');
    expect(screen.getByText(/more than this cap: no new claim would bind/)).toBeTruthy();
    await user.clear(cap);
    await user.type(cap, '40Gi');
    expect(screen.getByText(/that leaves/).textContent).toContain('30 GiB');
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    await screen.findByText('basalt is changed.');
    expect(server.of('changeBackend')[0]).toMatchObject({ version: '"7"', body: { cap: 40 * GiB, title: 'Basalt' } });
    await user.click(screen.getByRole('button', { name: 'Undo' }));
    await waitFor(() => expect(server.of('changeBackend')[1]).toMatchObject({ version: '"8"', body: { cap: null } }));
  });

  test('what is bought of a pool and in no share is taken as well', async () => {
    new FakeServer(answers);
    const TiB = 2 ** 40;
    const sold = { minimum: TiB, step: TiB, maximum: 8 * TiB, sold: [] };
    const carved = {
      ...{ ...pool, reservedRaw: 2 * TiB, facts: { ...pool.facts, instances: sold } },
      instances: [{ id: 'i0', bytes: 5 * TiB, used: 2 * TiB, leaving: false }],
    };
    const { user } = show(<BackendSettings backend={{ ...backend, pools: [carved] }} />);
    await user.type(screen.getByLabelText('Cap over all its pools, raw'), '9Ti');
    expect(screen.getByText(/that leaves/).textContent).toContain('4 TiB');
  });

  test('a cap that is no size, a backend without title or site, cannot be applied', async () => {
    new FakeServer(answers);
    const { user } = show(<BackendSettings backend={backend} />);
    const apply = screen.getByRole<HTMLButtonElement>('button', { name: 'Apply' });
    await user.type(screen.getByLabelText('Cap over all its pools, raw'), '5 elephants');
    expect(apply.disabled).toBe(true);
    await user.clear(screen.getByLabelText('Cap over all its pools, raw'));
    expect(apply.disabled).toBe(false);
    await user.clear(screen.getByLabelText('Title'));
    expect(apply.disabled).toBe(true);
  });

  test.each([
    ['refused', /proven replaced/],
    ['still-accepted', /still accepts the old ones: take them away/],
    ['not-known', /could not be found out/],
  ] as const)('of new credentials it is told what became of the old: %s', async (old, said) => {
    const server = new FakeServer({ ...answers, changeCredentials: () => ({ old }) });
    const { user } = show(<BackendSettings backend={backend} />);
    const change = screen.getByRole<HTMLButtonElement>('button', { name: 'Change them' });
    expect(change.disabled).toBe(true);
    await user.type(screen.getByLabelText('New password'), 'new-stone');
    await user.click(change);
    expect(await screen.findByText(said)).toBeTruthy();
    expect(server.of('changeCredentials')[0]!.body).toEqual({ username: 'moorage', password: 'new-stone' });
    // a password does not stay on the screen
    expect(screen.getByLabelText<HTMLInputElement>('New password').value).toBe('');
  });

  test('it is forgotten only when its name is typed, and not while claims are kept on it', async () => {
    const server = new FakeServer({ ...answers, removeBackend: () => undefined });
    const { user, unmount } = show(<BackendSettings backend={backend} />);
    const forget = screen.getByRole<HTMLButtonElement>('button', { name: 'Forget basalt' });
    await user.type(screen.getByLabelText('Type basalt to confirm'), 'basal');
    expect(forget.disabled).toBe(true);
    await user.type(screen.getByLabelText('Type basalt to confirm'), 't');
    await user.click(forget);
    await screen.findByText('basalt is forgotten. Nothing on it was touched.');
    expect(server.of('removeBackend')).toHaveLength(1);
    unmount();
    const used = {
      ...backend,
      pools: [{ ...pool, reservedRaw: GiB, reservedBytes: 8 * GiB }],
    } as unknown as BackendRow;
    show(<BackendSettings backend={used} />);
    expect(screen.getByLabelText<HTMLInputElement>('Type basalt to confirm').disabled).toBe(true);
    expect(screen.getByText(/Claims keep/).textContent).toContain('8 GiB');
  });
});
