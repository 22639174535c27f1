/** The places in the order of the work; those not built yet are not here. */
export const places = [
  { path: '/watch', name: 'Watch', key: 'w' },
  { path: '/backends', name: 'Backends', key: 'b' },
  { path: '/moorings', name: 'Moorings', key: 'm' },
  { path: '/classes', name: 'Classes', key: 'c' },
  { path: '/claims', name: 'Claims', key: 'l' },
  { path: '/namespaces', name: 'Namespaces', key: 'n' },
] as const;
