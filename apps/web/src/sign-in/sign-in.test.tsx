import { waitFor } from '@testing-library/react';
import { keys } from '../api/keys';
import { queryClient } from '../api/queries';
import { FakeServer, maren, Refused, screen, show } from '../testing/render';
import { SignIn } from './SignIn';

const people = [{ name: 'guest', title: 'Guest', role: 'viewer', password: 'lighthouse' }];

test('name and password are needed, before anything is sent', async () => {
  const server = new FakeServer({ demoPeople: () => [], signIn: () => maren });
  const { user } = show(<SignIn />);
  await user.click(screen.getByRole('button', { name: 'Sign in' }));
  expect(await screen.findByText('Your name is needed.')).toBeTruthy();
  expect(screen.getByText('The password is needed.')).toBeTruthy();
  expect(server.of('signIn')).toEqual([]);
});

test('who is let in is known to the whole application', async () => {
  const server = new FakeServer({ demoPeople: () => [], signIn: () => maren });
  const { user } = show(<SignIn />);
  await user.type(screen.getByLabelText('Name'), 'maren');
  await user.type(screen.getByLabelText('Password'), 'lighthouse{Enter}');
  await waitFor(() => expect(queryClient.getQueryData(keys.person())).toMatchObject({ name: 'maren' }));
  expect(server.of('signIn')[0]!.body).toEqual({ name: 'maren', password: 'lighthouse' });
});

test('a wrong password is told in the words of the server, beside the field', async () => {
  new FakeServer({ demoPeople: () => [], signIn: () => new Refused(401, 'Name and password do not belong together.') });
  const { user } = show(<SignIn />);
  await user.type(screen.getByLabelText('Name'), 'maren');
  await user.type(screen.getByLabelText('Password'), 'x{Enter}');
  expect(await screen.findByText('Name and password do not belong together.')).toBeTruthy();
});

test('the made-up people of a demonstration come in by one press', async () => {
  const server = new FakeServer({ demoPeople: () => people, signIn: () => ({ ...maren, name: 'guest' }) });
  const { user } = show(<SignIn />);
  await user.click(await screen.findByRole('button', { name: /Guest/ }));
  await waitFor(() => expect(server.of('signIn')[0]?.body).toEqual({ name: 'guest', password: 'lighthouse' }));
});
