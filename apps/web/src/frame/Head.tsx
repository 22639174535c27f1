import { Button, Divider, Link, Menu, MenuItem, Typography } from '@mui/material';
import { styled } from '@mui/material/styles';
import type { Session } from '@moorage/contract/people';
import { useState } from 'react';
import { Link as RouterLink, NavLink } from 'react-router';
import { ask } from '../api/client';
import { useFindings } from '../api/cluster-queries';
import { useLiveState } from '../api/live';
import { queryClient } from '../api/queries';
import { Mark } from '../marks/Mark';
import { When } from '../parts/When';
import { useOperationCounts } from '../under-way/queries';
import { useLook } from '../theme/look';
import { useKeepLine } from './address';
import { FindBox } from './FindBox';
import { Row } from '../parts/layout';

const HeadLink = styled(Link)(({ theme }) => ({
  display: 'inline-flex',
  alignItems: 'center',
  gap: theme.spacing(0.75),
  whiteSpace: 'nowrap',
  color: theme.palette.text.primary,
  '&.active': { fontWeight: 600 },
})) as typeof Link;

/** How many findings are not set aside. */
function NeedsPerson() {
  const keep = useKeepLine();
  const { data } = useFindings();
  const open = data?.filter((f) => f.aside === null).length ?? 0;
  return (
    <HeadLink component={RouterLink} to={keep('/watch')} underline="hover">
      <Mark kind={open > 0 ? 'person' : 'settled'} />
      {open === 0 ? 'nothing needs you' : open === 1 ? '1 finding' : `${open} findings`}
    </HeadLink>
  );
}

/** What is being done, and what has stopped. */
function UnderWay() {
  const keep = useKeepLine();
  const { data } = useOperationCounts();
  const { underWay, stopped } = data ?? { underWay: 0, stopped: 0 };
  return (
    <HeadLink component={NavLink} to={keep(stopped > 0 ? '/under-way?show=stopped' : '/under-way')} underline="hover">
      <Mark kind={stopped > 0 ? 'person' : underWay > 0 ? 'progress' : 'settled'} />
      {stopped > 0 ? `${stopped} stopped` : underWay > 0 ? `${underWay} under way` : 'nothing under way'}
    </HeadLink>
  );
}

export function Head({ person, showKeys }: { person: Session; showKeys: () => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { look, turn } = useLook();
  const keep = useKeepLine();
  const lostAt = useLiveState((s) => s.lostAt);
  const signOut = async () => {
    await ask('signOut');
    queryClient.clear();
    window.location.assign('/');
  };
  return (
    <Row
      component="header"
      gap={2}
      align="center"
      sx={{ px: 2, height: 48, borderBottom: 1, borderColor: 'divider', bgcolor: 'background.paper' }}
    >
      <Typography component="span" sx={{ fontWeight: 700, fontSize: 16, letterSpacing: 0.2, whiteSpace: 'nowrap' }}>
        Vast Moorage
      </Typography>
      <Typography component="span" variant="body2" color="text.secondary" sx={{ whiteSpace: 'nowrap' }}>
        site <strong>{person.site}</strong>
      </Typography>
      <Row gap={0} justify="center" sx={{ flex: 1 }}>
        <FindBox />
      </Row>
      {lostAt !== undefined && (
        <Typography variant="body2" role="status" sx={{ color: 'warning.main', whiteSpace: 'nowrap' }}>
          not live since <When at={new Date(lostAt).toISOString()} />
        </Typography>
      )}
      <UnderWay />
      <NeedsPerson />
      <Button onClick={(e) => setAnchor(e.currentTarget)} aria-haspopup="menu" sx={{ border: 0, whiteSpace: 'nowrap' }}>
        {person.title}
      </Button>
      <Menu anchorEl={anchor} open={anchor !== null} onClose={() => setAnchor(null)}>
        <MenuItem disabled>{person.role.replace('-', ' ')}</MenuItem>
        <Divider />
        <MenuItem onClick={turn}>{look === 'day' ? 'Night look' : 'Day look'}</MenuItem>
        <MenuItem
          onClick={() => {
            setAnchor(null);
            showKeys();
          }}
        >
          Keys ( ? )
        </MenuItem>
        <MenuItem component={RouterLink} to={keep('/tokens')} onClick={() => setAnchor(null)}>
          Read tokens
        </MenuItem>
        <MenuItem onClick={() => void signOut()}>Sign out</MenuItem>
      </Menu>
    </Row>
  );
}
