import ContentCopyIcon from '@mui/icons-material/ContentCopy';
import { IconButton, Tooltip } from '@mui/material';
import { useState } from 'react';
import { mono } from '../theme/theme';

/** An identifier to be compared by eye or carried elsewhere. `short` shows its beginning and end; `as` shows other words for it. */
export function Copyable({
  text,
  what,
  short = false,
  as,
}: {
  text: string;
  what: string;
  short?: boolean;
  as?: string;
}) {
  const [copied, setCopied] = useState(false);
  const shown = as ?? (short && text.length > 17 ? `${text.slice(0, 8)}…${text.slice(-6)}` : text);
  const copy = async (event: React.MouseEvent) => {
    event.stopPropagation();
    await navigator.clipboard.writeText(text);
    setCopied(true);
    setTimeout(() => setCopied(false), 1500);
  };
  return (
    <span style={{ display: 'inline-flex', alignItems: 'center', gap: 2, minWidth: 0 }}>
      <Tooltip title={short ? text : ''}>
        <span
          style={{ fontFamily: mono, fontSize: 12, overflow: 'hidden', textOverflow: 'ellipsis', whiteSpace: 'nowrap' }}
        >
          {shown}
        </span>
      </Tooltip>
      <Tooltip title={copied ? 'Copied' : `Copy ${what}`}>
        <IconButton size="small" aria-label={`Copy ${what}`} onClick={copy} sx={{ p: '2px' }}>
          <ContentCopyIcon sx={{ fontSize: 12 }} />
        </IconButton>
      </Tooltip>
    </span>
  );
}
