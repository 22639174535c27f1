import { useEffect, useState } from 'react';
import { Alert, Button, Snackbar } from '@mui/material';
import { takeBack, useNotice, type Notice } from './useAct';

/** How long what was done stays to be read once the person goes on with something else, ms. */
const readMs = 8000;

/** Whether the person has done something since this notice came up: until then nobody need have seen it. */
function useGoneOn(notice: Notice | undefined): boolean {
  const [goneOnAfter, setGoneOnAfter] = useState<Notice>();
  useEffect(() => {
    if (!notice) return;
    const signs = ['pointerdown', 'keydown'] as const;
    const goneOn = () => setGoneOnAfter(notice);
    for (const sign of signs) window.addEventListener(sign, goneOn, true);
    return () => {
      for (const sign of signs) window.removeEventListener(sign, goneOn, true);
    };
  }, [notice]);
  return notice !== undefined && goneOnAfter === notice;
}

/** Says what was done, with undo where there is one, or what was refused. */
export function NoticeBar() {
  const { notice, show } = useNotice();
  const goneOn = useGoneOn(notice);
  return (
    <Snackbar
      open={notice !== undefined}
      autoHideDuration={notice?.kind === 'done' && goneOn ? readMs : null}
      onClose={(_event, reason) => reason !== 'clickaway' && show(undefined)}
      anchorOrigin={{ vertical: 'bottom', horizontal: 'right' }}
      sx={{ mb: 7 }}
    >
      <Alert
        icon={false}
        severity={notice?.kind === 'refused' ? 'error' : 'info'}
        variant="standard"
        onClose={() => show(undefined)}
        sx={{
          border: 1,
          borderColor: notice?.kind === 'refused' ? 'error.main' : 'text.primary',
          bgcolor: 'background.paper',
          color: 'text.primary',
          maxWidth: 560,
        }}
        action={
          notice?.undo && (
            <Button
              onClick={() => {
                const { undo } = notice;
                show(undefined);
                if (undo) void takeBack(undo);
              }}
            >
              Undo
            </Button>
          )
        }
      >
        {notice?.text}
      </Alert>
    </Snackbar>
  );
}
