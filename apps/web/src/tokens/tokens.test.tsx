import type { Token } from '@moorage/contract/tokens';
import { waitFor, within } from '@testing-library/react';
import { FakeServer, Refused, screen, show } from '../testing/render';
import Tokens from './Tokens';

const token = (part: Partial<Token> = {}): Token => ({
  ...{ id: '00000000-0000-4000-8000-000000000001', name: 'a panel', namespaces: null, person: 'maren' },
  ...{ createdAt: '2026-11-01T10:00:00.000Z', expiresAt: '2099-01-01T00:00:00.000Z', revokedAt: null, usedAt: null },
  ...part,
});

test('a token is made for some namespaces, and its secret is shown once', async () => {
  const server = new FakeServer({
    listTokens: () => [],
    makeToken: () => ({ ...token(), secret: 'moorage_abc' }),
  });
  const { user } = show(<Tokens />, { at: '/tokens' });
  expect(await screen.findByText('No token yet')).toBeTruthy();
  await user.click(screen.getByRole('button', { name: 'Make it' }));
  expect(await screen.findByText('Say what it is for.')).toBeTruthy();
  await user.type(screen.getByLabelText('What it is for'), 'a panel');
  await user.click(screen.getByLabelText('Some namespaces alone'));
  await user.click(screen.getByRole('button', { name: 'Make it' }));
  expect(await screen.findByText('Name a namespace at least.')).toBeTruthy();
  await user.type(screen.getByLabelText('Namespaces'), 'tide-gauges, wave-model{Enter}');
  expect(await screen.findByText('moorage_abc')).toBeTruthy();
  expect(server.of('makeToken').at(-1)!.body).toEqual({
    ...{ name: 'a panel', days: 90, namespaces: ['tide-gauges', 'wave-model'] },
  });
});

test('what is refused is said, and what was typed stays', async () => {
  new FakeServer({ listTokens: () => [], makeToken: () => new Refused(409, 'You have 100 tokens.') });
  const { user } = show(<Tokens />, { at: '/tokens' });
  await user.type(screen.getByLabelText('What it is for'), 'a panel{Enter}');
  expect((await screen.findByRole('alert')).textContent).toBe('You have 100 tokens.');
  expect(screen.getByLabelText<HTMLInputElement>('What it is for').value).toBe('a panel');
});

test('tokens say whether they still read; one that does is revoked', async () => {
  const ended = { expiresAt: '2026-01-01T00:00:00.000Z' };
  const server = new FakeServer({
    listTokens: () => [
      token({ namespaces: ['tide-gauges'] }),
      token({ id: '00000000-0000-4000-8000-000000000002', name: 'old', ...ended }),
    ],
    revokeToken: () => undefined,
  });
  const { user } = show(<Tokens />, { at: '/tokens' });
  const rows = within(await screen.findByRole('table', { name: 'Read tokens' })).getAllByRole('row');
  expect(rows.slice(1).map((r) => within(r).getAllByRole('cell').at(-2)!.textContent)).toEqual(['reads', 'expired']);
  expect(within(rows[2]!).queryByRole('button')).toBeNull();
  await user.click(within(rows[1]!).getByRole('button', { name: 'Revoke' }));
  await user.click(within(await screen.findByRole('dialog')).getByRole('button', { name: 'Revoke' }));
  await waitFor(() => expect(server.of('revokeToken')[0]!.params).toEqual({ id: token().id }));
});
