import { Button, Dialog, DialogActions, DialogContent, DialogTitle } from '@mui/material';
import { useState } from 'react';

/** A button for what is done only when one is sure: what will happen is said first. */
export function Confirm({
  word,
  title,
  children,
  disabled,
  act,
}: {
  word: string;
  title: string;
  /** What is about to happen. */
  children: React.ReactNode;
  disabled?: boolean;
  act: () => void;
}) {
  const [asking, setAsking] = useState(false);
  return (
    <>
      <Button disabled={disabled} onClick={() => setAsking(true)}>
        {word}
      </Button>
      <Dialog open={asking} onClose={() => setAsking(false)}>
        <DialogTitle>{title}</DialogTitle>
        <DialogContent>{children}</DialogContent>
        <DialogActions>
          <Button onClick={() => setAsking(false)}>Leave it</Button>
          <Button
            variant="contained"
            autoFocus
            onClick={() => {
              // pressed while it fades out
              if (!asking) return;
              setAsking(false);
              act();
            }}
          >
            {word}
          </Button>
        </DialogActions>
      </Dialog>
    </>
  );
}
