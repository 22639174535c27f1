import { Button, Typography } from '@mui/material';
import { useState } from 'react';
import { Row } from './layout';

/** A button for what cannot be taken back lightly: it says what will be done, and does it when pressed once more. */
export function Twice({
  words,
  sure,
  disabled,
  act,
}: {
  words: string;
  /** What is about to be done; undefined: it is small, and done at once. */
  sure?: string;
  disabled: boolean;
  act: () => void;
}) {
  const [asking, setAsking] = useState(false);
  if (!asking || sure === undefined)
    return (
      <Button variant="contained" disabled={disabled} onClick={() => (sure === undefined ? act() : setAsking(true))}>
        {words}
      </Button>
    );
  return (
    <Row role="alert" align="center" wraps sx={{ border: 1, borderColor: 'error.main', p: 0.75 }}>
      <Typography variant="body2">{sure}</Typography>
      <Button onClick={() => setAsking(false)}>Leave it</Button>
      <Button
        variant="contained"
        disabled={disabled}
        autoFocus
        onClick={() => {
          setAsking(false);
          act();
        }}
      >
        {words}
      </Button>
    </Row>
  );
}
