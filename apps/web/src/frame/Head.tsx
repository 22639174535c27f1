import { Box, Button, Divider, Link, Menu, MenuItem, Typography } from '@mui/material';
import { useQuery } from '@tanstack/react-query';
import type { ClaimPage } from '@moorage/contract/claims';
import type { Session } from '@moorage/contract/people';
import { useState } from 'react';
import { Link as RouterLink } from 'react-router';
import { call } from '../api/client';
import { useLiveState } from '../api/live';
import { queryClient } from '../api/queries';
import { Mark } from '../marks/Mark';
import { When } from '../parts/When';
import { useLook } from '../theme/look';
import { useKeepLine } from './address';
import { FindBox } from './FindBox';

/** Claims that cannot go on without somebody: until the findings have a place of their own, they are what needs a person. */
function NeedsPerson() {
  const keep = useKeepLine();
  const { data } = useQuery({
    queryKey: ['claims', 'counts'],
    queryFn: () => call<ClaimPage>('/api/claims?limit=1'),
  });
  const stuck = data?.counts.stuck ?? 0;
  return (
    <Link
      component={RouterLink}
      to={keep('/claims?state=unbound')}
      underline="hover"
      sx={{ display: 'inline-flex', alignItems: 'center', gap: 0.75, whiteSpace: 'nowrap', color: 'text.primary' }}
    >
      <Mark kind={stuck > 0 ? 'person' : 'settled'} />
      {stuck === 0 ? 'nothing waits for you' : stuck === 1 ? '1 claim needs a person' : `${stuck} claims need a person`}
    </Link>
  );
}

export function Head({ person, showKeys }: { person: Session; showKeys: () => void }) {
  const [anchor, setAnchor] = useState<HTMLElement | null>(null);
  const { look, turn } = useLook();
  const lostAt = useLiveState((s) => s.lostAt);
  const signOut = async () => {
    await call('/api/session', { method: 'DELETE' });
    queryClient.clear();
    window.location.assign('/');
  };
  return (
    <Box
      component="header"
      sx={{
        display: 'flex',
        alignItems: 'center',
        gap: 2,
        px: 2,
        height: 48,
        borderBottom: 1,
        borderColor: 'divider',
        bgcolor: 'background.paper',
      }}
    >
      <Typography component="span" sx={{ fontWeight: 700, fontSize: 16, letterSpacing: 0.2, whiteSpace: 'nowrap' }}>
        Vast Moorage
      </Typography>
      <Typography component="span" variant="body2" color="text.secondary" sx={{ whiteSpace: 'nowrap' }}>
        site <strong>{person.site}</strong>
      </Typography>
      <Box sx={{ flex: 1, display: 'flex', justifyContent: 'center' }}>
        <FindBox />
      </Box>
      {lostAt !== undefined && (
        <Typography variant="body2" role="status" sx={{ color: 'warning.main', whiteSpace: 'nowrap' }}>
          not live since <When at={new Date(lostAt).toISOString()} />
        </Typography>
      )}
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
        <MenuItem onClick={() => void signOut()}>Sign out</MenuItem>
      </Menu>
    </Box>
  );
}
