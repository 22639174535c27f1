import { Button, Popover, TextField, Typography } from '@mui/material';
import { asideSchema } from '@moorage/contract/findings';
import dayjs from 'dayjs';
import { useState } from 'react';
import { Column } from './layout';
import { useAct } from './useAct';

/** Why something is set aside, and until when: a day, as YYYY-MM-DD. */
export interface Aside {
  readonly reason: string;
  readonly until: string;
}

/** Sets something aside until a day, with a reason. `put` gives the way back. */
export function AsideButton({
  put: send,
  disabled,
}: {
  put: (aside: Aside) => Promise<() => Promise<unknown>>;
  disabled?: boolean;
}) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const [reason, setReason] = useState('');
  const [until, setUntil] = useState(dayjs().add(14, 'day').format('YYYY-MM-DD'));
  const [problem, setProblem] = useState<string>();
  const put = useAct(async (body: Aside) => {
    const undo = await send(body);
    setAnchor(null);
    return { text: `Set aside until ${dayjs(body.until).format('D MMM YYYY')}.`, undo };
  });
  const submit = (event: React.FormEvent) => {
    event.preventDefault();
    const read = asideSchema.safeParse({ reason, until });
    if (read.success) put.mutate(read.data);
    else setProblem(read.error.issues[0]?.message);
  };
  return (
    <>
      <Button disabled={disabled} onClick={(e) => setAnchor(e.currentTarget)} sx={{ whiteSpace: 'nowrap' }}>
        Set aside
      </Button>
      <Popover
        open={anchor !== null}
        anchorEl={anchor}
        onClose={() => setAnchor(null)}
        anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
        transformOrigin={{ vertical: 'top', horizontal: 'right' }}
      >
        <Column component="form" onSubmit={submit} noValidate gap={1.5} sx={{ p: 2, width: 300 }}>
          <Typography variant="body2">
            It leaves the list until then, and comes back by itself if it is still so.
          </Typography>
          <TextField
            label="Why"
            value={reason}
            autoFocus
            error={!!problem}
            helperText={problem}
            onChange={(e) => (setReason(e.target.value), setProblem(undefined))}
          />
          <TextField
            label="Until"
            type="date"
            value={until}
            onChange={(e) => setUntil(e.target.value)}
            slotProps={{ inputLabel: { shrink: true } }}
          />
          <Button type="submit" variant="contained" disabled={put.isPending}>
            Set aside
          </Button>
        </Column>
      </Popover>
    </>
  );
}
