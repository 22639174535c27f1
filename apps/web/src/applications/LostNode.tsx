import { Button, TextField, Typography } from '@mui/material';
import type { NodeSeen } from '@moorage/contract/applications';
import { useState } from 'react';
import { ask } from '../api/client';
import { refresh } from '../api/queries';
import { Mark } from '../marks/Mark';
import { Column, Row, Sheet } from '../parts/layout';
import { useAct } from '../parts/useAct';
import { useNow } from '../parts/useNow';
import { When } from '../parts/When';
import { lostSentence } from './node-words';

/** A node that is not heard of, or was declared off: what is stuck there, what comes next, and the safe way out. */
export function LostNode({ node }: { node: NodeSeen }) {
  const { name, ready, off, since } = node;
  const [typed, setTyped] = useState('');
  const now = useNow();
  const declare = useAct(async (to: boolean) => {
    await ask('declareOff', { params: { node: name }, body: to ? { off: true, confirm: typed } : { off: false } });
    await refresh('applications');
    setTyped('');
    return {
      text: to
        ? `${name} is declared off: its pods are let go, and their volumes attached where they start again.`
        : `${name} is no longer declared off.`,
    };
  });
  return (
    <Sheet>
      <Column gap={1.5}>
        <Row gap={1} align="center">
          <Mark kind={off ? 'waiting' : 'lost'} />
          <Typography variant="h2">{name}</Typography>
          {since && (
            <Typography variant="body2" color="text.secondary">
              {ready ? 'heard of again since' : 'not heard of since'} <When at={since} />
            </Typography>
          )}
        </Row>
        <Typography variant="body2">{lostSentence(node, now)}</Typography>
        {off ? (
          <div>
            <Button
              variant={ready ? 'contained' : 'outlined'}
              disabled={declare.isPending}
              onClick={() => declare.mutate(false)}
            >
              It is no longer off
            </Button>
          </div>
        ) : (
          <>
            <Typography variant="body2">
              A machine that is cut off may be alive and go on writing; volumes that are given to others meanwhile are
              then written by two. Switch it off first, and be sure of it: then say so by its name.
            </Typography>
            <Row gap={1} align="flex-start">
              <TextField
                label="Name of the node that is off"
                value={typed}
                onChange={(e) => setTyped(e.target.value)}
                sx={{ width: 260 }}
                slotProps={{ htmlInput: { spellCheck: false, autoComplete: 'off' } }}
              />
              <Button
                variant="contained"
                disabled={typed !== name || declare.isPending}
                onClick={() => declare.mutate(true)}
              >
                It is off: let its volumes go
              </Button>
            </Row>
          </>
        )}
      </Column>
    </Sheet>
  );
}
