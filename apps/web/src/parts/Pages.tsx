import { Button } from '@mui/material';
import { useState } from 'react';
import { Fill, Row } from './layout';

export type Cursors = readonly (string | undefined)[];

/** Cursors of the pages walked through so far; `walk` names the filter and order, and another one begins again. */
export function usePages(walk: string) {
  const [cursors, setCursors] = useState<{ walk: string; list: Cursors }>({ walk, list: [undefined] });
  const list = cursors.walk === walk ? cursors.list : [undefined];
  return { list, cursor: list[list.length - 1], go: (next: Cursors) => setCursors({ walk, list: next }) };
}

/** How much of a list is seen, and the ways to the rest. */
export function Pages({
  list,
  go,
  shown,
  total,
  next,
  hint = 'click fills the Line, Enter or double click opens',
}: Pick<ReturnType<typeof usePages>, 'list' | 'go'> & {
  /** Undefined as long as nothing is known. */
  shown: number | undefined;
  total: number | undefined;
  next: string | null | undefined;
  hint?: string;
}) {
  return (
    <Row gap={2} align="center" sx={{ fontSize: 13, color: 'text.secondary' }}>
      <span>
        {shown === undefined ? ' ' : `${shown} of ${(total ?? shown).toLocaleString('en-GB')} shown`}
        {shown !== undefined && shown > 0 && ` · ${hint}`}
      </span>
      <Fill />
      {(list.length > 1 || next) && (
        <>
          <Button disabled={list.length <= 1} onClick={() => go(list.slice(0, -1))}>
            Earlier page
          </Button>
          <span>page {list.length}</span>
          <Button disabled={!next} onClick={() => go([...list, next!])}>
            Next page
          </Button>
        </>
      )}
    </Row>
  );
}
