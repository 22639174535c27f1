import { NavLink } from 'react-router';
import { useKeepLine } from './address';
import { LookBack } from './Moment';
import { places } from './places';
import { Fill, Row } from '../parts/layout';

/** The places, in the order of the work. */
export function Course() {
  const keep = useKeepLine();
  return (
    <Row
      component="nav"
      aria-label="Places"
      gap={0}
      align="center"
      sx={{
        px: 1,
        borderBottom: 1,
        borderColor: 'divider',
        bgcolor: 'background.paper',
        '& a': {
          px: 1.25,
          py: 0.9,
          color: 'text.secondary',
          textDecoration: 'none',
          borderBottom: '2px solid transparent',
          mb: '-1px',
        },
        '& a:hover': { color: 'text.primary' },
        '& a.active': { color: 'text.primary', fontWeight: 600, borderColor: 'text.primary' },
      }}
    >
      {places.map(({ path, name }) => (
        <NavLink key={path} to={keep(path)}>
          {name}
        </NavLink>
      ))}
      <Fill />
      <LookBack />
    </Row>
  );
}
