import { Drawer, ToggleButton, ToggleButtonGroup } from '@mui/material';
import { useCallback, useRef, useState } from 'react';
import { usePlacement } from '../api/queries';
import { ManifestForm } from '../manifests/ManifestForm';
import { claimText, readClaimText, type ClaimDraft } from './claim-text';
import { ClaimForm } from './ClaimForm';

export function NewClaim({ open, close }: { open: boolean; close: () => void }) {
  const { data } = usePlacement();
  const [as, setAs] = useState<'form' | 'manifest'>('form');
  const [text, setText] = useState('');
  /** What the form holds, and the text that this reads as. */
  const draft = useRef<ClaimDraft>(undefined);
  const textOfDraft = useRef('');
  const leave = () => {
    draft.current = undefined;
    textOfDraft.current = '';
    setText('');
    close();
  };
  const keep = useCallback((typed: ClaimDraft) => void (draft.current = typed), []);
  const turnTo = (to: typeof as) => {
    if (to === 'manifest') {
      const fresh = draft.current ? claimText(draft.current) : '';
      // a text of more than the form holds stays, unless the form was changed since
      if (fresh !== textOfDraft.current) setText(fresh);
      textOfDraft.current = fresh;
    } else {
      const read = readClaimText(text);
      if (read) {
        draft.current = read;
        textOfDraft.current = claimText(read);
      }
    }
    setAs(to);
  };
  return (
    <Drawer
      anchor="right"
      open={open && data !== undefined}
      onClose={close}
      slotProps={{ paper: { 'aria-label': 'New claim' } }}
    >
      <ToggleButtonGroup
        exclusive
        size="small"
        value={as}
        aria-label="Write it as"
        onChange={(_e, v: typeof as | null) => v && turnTo(v)}
        sx={{ px: 3, pt: 2, pb: 1 }}
      >
        <ToggleButton value="form">as a form</ToggleButton>
        <ToggleButton value="manifest">as a manifest</ToggleButton>
      </ToggleButtonGroup>
      {as === 'form' ? (
        <ClaimForm close={leave} begin={draft.current} keep={keep} />
      ) : (
        <ManifestForm text={text} setText={setText} close={leave} />
      )}
    </Drawer>
  );
}
