import CloseIcon from '@mui/icons-material/Close';
import {
  Box,
  Button,
  IconButton,
  Table,
  TableBody,
  TableCell,
  TableHead,
  TableRow,
  Tooltip,
  Typography,
} from '@mui/material';
import type { Line as LineData, LineLink } from '@moorage/contract/claims';
import { useState } from 'react';
import { ApiProblem } from '../api/client';
import { useLine } from '../api/queries';
import { Mark, MarkedWord, markWords } from '../marks/Mark';
import { Copyable } from '../parts/Copyable';
import { mono } from '../theme/theme';
import { useGo, useSelected } from './address';
import { FaintCell, Row } from '../parts/layout';

const kindWords: Record<LineLink['kind'], string> = {
  namespace: 'namespace',
  application: 'application',
  pod: 'pod',
  claim: 'claim',
  volume: 'volume',
  class: 'class',
  pool: 'pool',
  backend: 'backend',
  copy: 'copy',
};

/** Where a link leads when it is opened. */
function placeOf(link: LineLink, claim: string): string | undefined {
  switch (link.kind) {
    case 'namespace':
      return `/namespaces?namespace=${link.name}`;
    case 'application':
      return `/apps/${claim.split('/')[0]}/${link.name}`;
    case 'pod':
      return `/claims?q=${encodeURIComponent(link.name)}`;
    case 'claim':
    case 'volume':
      return `/claims/${claim}`;
    case 'class':
      return `/classes/${link.name}`;
    case 'pool':
      return `/backends?pool=${link.name}`;
    case 'backend':
    case 'copy':
      return '/backends';
  }
}

const shorten = (name: string): string => (name.length > 24 ? `${name.slice(0, 12)}…${name.slice(-8)}` : name);

/** Copies share one link in the bar, so that the chain stays readable; the opened sheet lists each. */
function inBar(links: readonly LineLink[]): { link: LineLink; count: number }[] {
  const bar: { link: LineLink; count: number }[] = [];
  for (const link of links) {
    const known = bar.find((b) => b.link.kind === link.kind && (link.kind === 'copy' || link.kind === 'pod'));
    if (!known) bar.push({ link, count: 1 });
    else {
      known.count += 1;
      if (link.mark !== 'settled') known.link = { ...link };
    }
  }
  return bar;
}

function BarLink({ link, count, claim, hinted }: { link: LineLink; count: number; claim: string; hinted: boolean }) {
  const go = useGo();
  const path = placeOf(link, claim);
  const several = count > 1;
  const name =
    link.kind === 'copy' && several ? `${count} copies` : several ? `${count} ${link.kind}s` : shorten(link.name);
  const hint = [link.name, link.note, markWords[link.mark]].filter(Boolean).join(' · ');
  return (
    <Tooltip title={hinted ? hint : ''}>
      <Box
        component="button"
        onClick={() => path && go(path)}
        sx={{
          all: 'unset',
          boxSizing: 'border-box',
          cursor: 'pointer',
          px: 1,
          py: 0.5,
          minWidth: 0,
          '&:hover': { bgcolor: 'action.hover' },
          '&:focus-visible': { outline: '2px solid', outlineColor: 'primary.main' },
        }}
      >
        <Typography variant="caption" color="text.secondary" component="div" sx={{ lineHeight: 1.2 }}>
          {kindWords[link.kind]}
        </Typography>
        <span style={{ display: 'inline-flex', alignItems: 'center', gap: 5, whiteSpace: 'nowrap', fontSize: 13 }}>
          <Mark kind={link.mark} size={11} />
          <span style={{ fontFamily: link.kind === 'volume' ? mono : undefined }}>{name}</span>
        </span>
      </Box>
    </Tooltip>
  );
}

function BothWorlds({ line }: { line: LineData }) {
  return (
    <Box sx={{ maxHeight: '50vh', overflow: 'auto', borderBottom: 1, borderColor: 'divider' }} id="line-sheet">
      <Table size="small" stickyHeader aria-label="Names in both worlds">
        <TableHead>
          <TableRow>
            <TableCell>Link</TableCell>
            <TableCell>Name</TableCell>
            <TableCell>In the platform</TableCell>
            <TableCell>In the backend</TableCell>
            <TableCell>State</TableCell>
          </TableRow>
        </TableHead>
        <TableBody>
          {line.links.map((link, i) => (
            <TableRow key={`${link.kind}-${i}`}>
              <FaintCell>{kindWords[link.kind]}</FaintCell>
              <TableCell>
                <Copyable text={link.name} what={`name of the ${link.kind}`} />
              </TableCell>
              <TableCell>
                {link.platformId ? (
                  <Copyable text={link.platformId} what={`platform identifier of the ${link.kind}`} />
                ) : (
                  '–'
                )}
              </TableCell>
              <TableCell>
                {link.backendId ? (
                  <Copyable text={link.backendId} what={`backend identifier of the ${link.kind}`} />
                ) : (
                  '–'
                )}
              </TableCell>
              <TableCell>
                <MarkedWord kind={link.mark} word={link.note ?? undefined} />
              </TableCell>
            </TableRow>
          ))}
        </TableBody>
      </Table>
    </Box>
  );
}

/** The chain from namespace to devices for whatever is selected, in both worlds' names. */
export function Line() {
  const [claim, select] = useSelected();
  const [open, setOpen] = useState(false);
  const { data, error } = useLine(claim);
  if (!claim) return null;
  const gone = error instanceof ApiProblem && error.status === 404;
  return (
    <Box
      component="section"
      aria-label="Line"
      sx={{ borderTop: 2, borderColor: 'text.primary', bgcolor: 'background.paper' }}
    >
      {open && data && !gone && <BothWorlds line={data} />}
      <Row gap={0} align="center" sx={{ px: 1, minHeight: 50 }}>
        <Tooltip
          title={
            open
              ? ''
              : 'The Line: the chain from namespace to devices for what is selected, with the names of both worlds.'
          }
        >
          <Button
            onClick={() => setOpen(!open)}
            aria-expanded={open}
            aria-controls="line-sheet"
            disabled={!data || gone}
            sx={{ mr: 1, whiteSpace: 'nowrap' }}
          >
            {open ? 'Line ▾' : 'Line ▴'}
          </Button>
        </Tooltip>
        <Row gap={0} align="center" sx={{ flex: 1, minWidth: 0, overflowX: 'auto' }}>
          {gone ? (
            <Typography variant="body2">The claim {claim} is gone.</Typography>
          ) : (
            data &&
            inBar(data.links).map(({ link, count }, i) => (
              <Row key={`${link.kind}-${i}`} gap={0} align="center" sx={{ flex: 'none' }}>
                {i > 0 && <Box aria-hidden sx={{ width: 14, borderTop: 1, borderColor: 'text.secondary' }} />}
                <BarLink link={link} count={count} claim={data.claim} hinted={!open} />
              </Row>
            ))
          )}
        </Row>
        <IconButton size="small" aria-label="Close the Line" onClick={() => select(null)}>
          <CloseIcon fontSize="small" />
        </IconButton>
      </Row>
    </Box>
  );
}
