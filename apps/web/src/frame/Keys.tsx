import { Dialog, DialogContent, DialogTitle, Table, TableBody, TableCell, TableRow } from '@mui/material';
import { useEffect } from 'react';
import { useGo } from './address';
import { besides, places } from './places';

const keys: readonly [string, string][] = [
  ['/  or  Ctrl-K', 'find, or a command'],
  ['g then a letter', [...places, ...besides].map((p) => `${p.key} ${p.name}`).join(', ')],
  ['?', 'this list'],
  ['Arrows, Enter', 'move in a table or grid, open'],
  ['Space', 'in Moorings: turn a mooring on or off; in a list: select'],
  ['Alt + ↑ / ↓', 'in Moorings: try the pool earlier or later'],
  ['Esc', 'close what is open'],
];

/** The keys that work everywhere, and the list of them. */
export function Keys({ open, setOpen }: { open: boolean; setOpen: (open: boolean) => void }) {
  const go = useGo();
  useEffect(() => {
    let waiting = 0;
    const onKey = (event: KeyboardEvent) => {
      const target = event.target as HTMLElement;
      if (
        target.closest('input, textarea, select, [contenteditable]') ||
        event.ctrlKey ||
        event.altKey ||
        event.metaKey
      )
        return;
      if (event.key === '?') setOpen(true);
      else if (event.key === 'g') waiting = event.timeStamp;
      else if (event.timeStamp - waiting < 1500) {
        waiting = 0;
        const place = [...places, ...besides].find((p) => p.key === event.key);
        if (place) go(place.path);
      }
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, [go, setOpen]);
  return (
    <Dialog open={open} onClose={() => setOpen(false)}>
      <DialogTitle>Keys</DialogTitle>
      <DialogContent>
        <Table size="small">
          <TableBody>
            {keys.map(([key, what]) => (
              <TableRow key={key}>
                <TableCell sx={{ whiteSpace: 'nowrap' }}>
                  <kbd>{key}</kbd>
                </TableCell>
                <TableCell>{what}</TableCell>
              </TableRow>
            ))}
          </TableBody>
        </Table>
      </DialogContent>
    </Dialog>
  );
}
