import { act, fireEvent, waitFor } from '@testing-library/react';
import { useQuery } from '@tanstack/react-query';
import { useState } from 'react';
import { Link } from 'react-router';
import { ApiProblem } from '../api/client';
import { Apart, Guarded } from '../frame/Guarded';
import { FakeServer, maren, screen, show } from '../testing/render';
import { Confirm } from './Confirm';
import { NamesField } from './NamesField';
import { useMay } from './person';
import { Fetched } from './States';
import { Twice } from './Twice';
import { useAct, useNotice } from './useAct';

beforeEach(() => new FakeServer({}));

describe('names', () => {
  function Names() {
    const [names, setNames] = useState<string[]>([]);
    return (
      <>
        <NamesField label="Nodes" value={names} known={['quay-01', 'quay-02']} onChange={setNames} />
        <p data-testid="names">{names.join('|')}</p>
      </>
    );
  }
  test('are chosen or typed, trimmed, and taken off again', async () => {
    const { user } = show(<Names />);
    const field = screen.getByRole('combobox', { name: 'Nodes' });
    await user.type(field, 'quay-02{Enter}');
    await user.type(field, ' quay-09 {Enter}');
    expect(screen.getByTestId('names').textContent).toBe('quay-02|quay-09');
    await user.type(field, '{Backspace}');
    expect(screen.getByTestId('names').textContent).toBe('quay-02');
  });
  test('half typed count when the field is left', async () => {
    const { user } = show(<Names />);
    await user.type(screen.getByRole('combobox', { name: 'Nodes' }), 'quay-77');
    await user.tab();
    expect(screen.getByTestId('names').textContent).toBe('quay-77');
  });
});

describe('what is done only when one is sure', () => {
  test('says it first, does it once, and can be left', async () => {
    const act = jest.fn();
    const { user } = show(
      <Confirm word="Take back" title="Take it back?" act={act}>
        What it made goes again.
      </Confirm>,
    );
    await user.click(screen.getByRole('button', { name: 'Take back' }));
    expect(screen.getByText('What it made goes again.')).toBeTruthy();
    await user.keyboard('{Escape}');
    await waitFor(() => expect(screen.queryByRole('dialog')).toBeNull());
    expect(act).not.toHaveBeenCalled();
    await user.click(screen.getByRole('button', { name: 'Take back' }));
    // the dialog begins at its answer
    await user.keyboard('{Enter}');
    expect(act).toHaveBeenCalledTimes(1);
  });
  test('is pressed twice where it stands; what is small, once', async () => {
    const act = jest.fn();
    const { user, rerender } = show(
      <Twice words="Apply" sure="Claims will be placed elsewhere." disabled={false} act={act} />,
    );
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    expect(screen.getByRole('alert').textContent).toContain('Claims will be placed elsewhere.');
    await user.click(screen.getByRole('button', { name: 'Leave it' }));
    expect(screen.queryByRole('alert')).toBeNull();
    expect(act).not.toHaveBeenCalled();
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    await user.click(screen.getByRole('button', { name: 'Apply' }));
    expect(act).toHaveBeenCalledTimes(1);
    rerender(<Twice words="Set" disabled={false} act={act} />);
    await user.click(screen.getByRole('button', { name: 'Set' }));
    expect(act).toHaveBeenCalledTimes(2);
  });
});

describe('an act', () => {
  function Actor({ act }: { act: () => Promise<{ text: string; undo?: () => Promise<unknown> }> }) {
    const doing = useAct(act);
    return <button onClick={() => doing.mutate(undefined)}>Do it</button>;
  }
  test('tells that it was done, and its way back is taken when asked', async () => {
    const undo = jest.fn(() => Promise.resolve());
    const { user } = show(<Actor act={() => Promise.resolve({ text: 'It is done.', undo })} />);
    await user.click(screen.getByRole('button', { name: 'Do it' }));
    await screen.findByText('It is done.');
    await user.click(screen.getByRole('button', { name: 'Undo' }));
    expect(await screen.findByText('Taken back.')).toBeTruthy();
    expect(undo).toHaveBeenCalledTimes(1);
  });
  test('whose way back is refused says so', async () => {
    const undo = () =>
      Promise.reject(new ApiProblem({ type: '', title: 'Changed', status: 412, detail: 'By tom.', code: 'x' }));
    const { user } = show(<Actor act={() => Promise.resolve({ text: 'It is done.', undo })} />);
    await user.click(screen.getByRole('button', { name: 'Do it' }));
    await user.click(await screen.findByRole('button', { name: 'Undo' }));
    expect(await screen.findByText('It was not taken back. Changed: By tom.')).toBeTruthy();
  });
  test('is told until the person has gone on with something else, each notice for its own time', async () => {
    jest.useFakeTimers();
    try {
      show(<p>elsewhere</p>);
      const { show: tell } = useNotice.getState();
      const pass = (ms: number) => act(() => jest.advanceTimersByTimeAsync(ms));
      act(() => tell({ kind: 'done', text: 'The first is done.' }));
      await pass(3_600_000);
      expect(screen.getByText('The first is done.')).toBeTruthy();
      fireEvent.pointerDown(document.body);
      await pass(7000);
      act(() => tell({ kind: 'done', text: 'The second is done.' }));
      await pass(3_600_000);
      expect(screen.getByText('The second is done.')).toBeTruthy();
      fireEvent.keyDown(document.body, { key: 'a' });
      await pass(7000);
      expect(screen.getByText('The second is done.')).toBeTruthy();
      await pass(3000);
      expect(screen.queryByText('The second is done.')).toBeNull();
    } finally {
      jest.useRealTimers();
    }
  });
  test('to which nobody answers says that it is not known what became of it', async () => {
    const { user } = show(<Actor act={() => Promise.reject(new TypeError('network'))} />);
    await user.click(screen.getByRole('button', { name: 'Do it' }));
    expect(await screen.findByText(/whether anything changed is not known/)).toBeTruthy();
  });
});

describe('something fetched', () => {
  let answer: () => Promise<string>;
  function Reader() {
    const query = useQuery({ queryKey: ['read'], queryFn: () => answer() });
    return (
      <>
        <Fetched query={query}>{(text) => <p>{text}</p>}</Fetched>
        <button onClick={() => void query.refetch()}>again</button>
      </>
    );
  }
  test('stays when a later fetch fails, which is told above it', async () => {
    answer = () => Promise.resolve('forty claims');
    const { user } = show(<Reader />);
    await screen.findByText('forty claims');
    answer = () => Promise.reject(new TypeError('network'));
    await user.click(screen.getByRole('button', { name: 'again' }));
    expect(await screen.findByText('The server does not answer')).toBeTruthy();
    expect(screen.getByText('forty claims')).toBeTruthy();
  });
  test('is waited for, and asked for again when it failed', async () => {
    answer = () => Promise.reject(new TypeError('network'));
    const { user } = show(<Reader />);
    expect(screen.getByRole('progressbar', { name: 'Loading' })).toBeTruthy();
    await screen.findByText('The server does not answer');
    answer = () => Promise.resolve('one claim');
    await user.click(screen.getByRole('button', { name: 'Try again' }));
    expect(await screen.findByText('one claim')).toBeTruthy();
  });
});

describe('what fails to draw', () => {
  let breaks = true;
  function Breaking() {
    if (breaks) throw new Error('no such member');
    return <p>drawn</p>;
  }
  const quiet = jest.spyOn(console, 'error').mockImplementation(() => undefined);
  afterAll(() => quiet.mockRestore());
  beforeEach(() => {
    breaks = true;
  });
  test('in a place leaves the rest alone, and is tried again', async () => {
    const { user } = show(
      <>
        <p>the course</p>
        <Guarded>
          <Breaking />
        </Guarded>
      </>,
    );
    expect(screen.getByText('This place cannot be shown')).toBeTruthy();
    expect(screen.getByText('no such member')).toBeTruthy();
    expect(screen.getByText('the course')).toBeTruthy();
    breaks = false;
    await user.click(screen.getByRole('button', { name: 'Try again' }));
    expect(screen.getByText('drawn')).toBeTruthy();
  });
  test('is left behind by going elsewhere', async () => {
    const { user } = show(
      <>
        <Link to="/there">there</Link>
        <Guarded>
          <Breaking />
        </Guarded>
      </>,
    );
    breaks = false;
    await user.click(screen.getByRole('link', { name: 'there' }));
    expect(await screen.findByText('drawn')).toBeTruthy();
  });
  test('beside the places is left out with a word', async () => {
    const { user } = show(
      <Apart>
        <Breaking />
      </Apart>,
    );
    expect(screen.getByText(/This part cannot be shown/)).toBeTruthy();
    breaks = false;
    await user.click(screen.getByRole('button', { name: 'Try again' }));
    expect(screen.getByText('drawn')).toBeTruthy();
  });
  test('because the application was updated says that, and is loaded anew', () => {
    function Old(): React.ReactNode {
      throw new TypeError('Failed to fetch dynamically imported module: /assets/x.js');
    }
    show(
      <Guarded>
        <Old />
      </Guarded>,
    );
    expect(screen.getByText('This place is of another version')).toBeTruthy();
    expect(screen.queryByRole('button', { name: 'Try again' })).toBeNull();
  });
});

test.each([
  ['operator', true],
  ['viewer', false],
] as const)('a %s may change things: %s', (role, expected) => {
  function Asks() {
    return <p>{String(useMay('administrator', 'operator'))}</p>;
  }
  show(<Asks />, { person: { ...maren, role } });
  expect(screen.getByText(String(expected))).toBeTruthy();
});
