import { Alert, Button, Snackbar } from '@mui/material';
import { takeBack, useNotice } from './useAct';

/** Says what was done, with undo where there is one, or what was refused. */
export function NoticeBar() {
  const { notice, show } = useNotice();
  return (
    <Snackbar
      open={notice !== undefined}
      autoHideDuration={notice?.kind === 'refused' ? null : 8000}
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
