import { TableCell } from '@mui/material';
import fc from 'fast-check';
import { useState } from 'react';
import { screen, show } from '../testing/render';
import { cellKey, Matrix, stepFrom, type At } from './Matrix';

const rows = ['north', 'middle', 'south'];
const columns = ['fast', 'deep'];

function Drawn({ onKey, heard }: { onKey?: (event: React.KeyboardEvent) => boolean; heard?: (at: At) => void }) {
  const [chosen, choose] = useState<At>({ row: 'north', column: 'fast' });
  return (
    <Matrix
      label="Places"
      rows={rows}
      columns={columns}
      chosen={chosen}
      choose={(at) => {
        heard?.(at);
        choose(at);
      }}
      onKey={onKey}
      corner="Place"
      columnHead={(column) => <TableCell key={column}>{column}</TableCell>}
      rowHead={(row) => row}
      cell={(at, props) => (
        <TableCell key={at.column} {...props}>
          {cellKey(at)}
        </TableCell>
      )}
    />
  );
}
const focused = () => document.activeElement?.getAttribute('data-cell');
const chosen = () => screen.getAllByRole('gridcell').filter((c) => c.getAttribute('aria-selected') === 'true');

test('arrows go from cell to cell and stop at the edges; Home and End go to the ends of the row', async () => {
  const { user } = show(<Drawn />);
  await user.click(screen.getByText('north/fast'));
  await user.keyboard('{ArrowDown}{ArrowRight}');
  expect(focused()).toBe('middle/deep');
  await user.keyboard('{ArrowRight}{ArrowDown}{ArrowDown}{ArrowDown}');
  expect(focused()).toBe('south/deep');
  await user.keyboard('{Home}');
  expect(focused()).toBe('south/fast');
  await user.keyboard('{ArrowUp}{End}');
  expect(focused()).toBe('middle/deep');
});

test('one cell alone is chosen, and it is where the tabulator stops', async () => {
  const { user } = show(<Drawn />);
  await user.click(screen.getByText('south/deep'));
  expect(chosen().map((c) => c.textContent)).toEqual(['south/deep']);
  expect(screen.getAllByRole('gridcell').filter((c) => c.tabIndex === 0)).toEqual(chosen());
});

test('keys that its place has a use for come there first, and then do not move', async () => {
  const heard: string[] = [];
  const { user } = show(
    <Drawn
      onKey={(event) => {
        heard.push(event.key);
        return event.altKey;
      }}
    />,
  );
  await user.click(screen.getByText('north/fast'));
  await user.keyboard('{Alt>}{ArrowDown}{/Alt}');
  expect(focused()).toBe('north/fast');
  await user.keyboard('{ArrowDown}');
  expect(focused()).toBe('middle/fast');
  expect(heard).toContain('ArrowDown');
});

test('keys with a modifier are the browser’s own', async () => {
  const told: At[] = [];
  const { user } = show(<Drawn heard={(at) => told.push(at)} />);
  await user.click(screen.getByText('north/fast'));
  told.length = 0;
  await user.keyboard('{Control>}{ArrowDown}{/Control}{Meta>}{ArrowRight}{/Meta}x');
  expect(told).toEqual([]);
});

test('a step leads to a neighbour that is there, or nowhere', () => {
  const names = fc.uniqueArray(fc.string({ minLength: 1, maxLength: 4 }), { minLength: 1, maxLength: 6 });
  const key = fc.constantFrom('ArrowUp', 'ArrowDown', 'ArrowLeft', 'ArrowRight', 'Home', 'End', 'a');
  fc.assert(
    fc.property(names, names, fc.nat(), fc.nat(), key, (of, by, i, j, pressed) => {
      const at = { row: of[i % of.length]!, column: by[j % by.length]! };
      const next = stepFrom(pressed, at, of, by);
      if (!next) return true;
      const [down, right] = [
        of.indexOf(next.row) - of.indexOf(at.row),
        by.indexOf(next.column) - by.indexOf(at.column),
      ];
      return pressed === 'Home' || pressed === 'End' ? down === 0 : Math.abs(down) + Math.abs(right) === 1;
    }),
  );
});
