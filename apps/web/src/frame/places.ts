/** The places in the order of the work; those not built yet are not here. */
export const places = [
  { path: '/watch', name: 'Watch', key: 'w' },
  { path: '/backends', name: 'Backends', key: 'b' },
  { path: '/moorings', name: 'Moorings', key: 'm' },
  { path: '/classes', name: 'Classes', key: 'c' },
  { path: '/claims', name: 'Claims', key: 'l' },
  { path: '/apps', name: 'Apps', key: 'a' },
  { path: '/namespaces', name: 'Namespaces', key: 'n' },
] as const;

/** Beside the course: reached from the head, or from the place it belongs to. */
export const besides = [
  { path: '/under-way', name: 'Under way', key: 'u' },
  { path: '/apps/nodes', name: 'Nodes', key: 'o' },
  { path: '/claims/salvage', name: 'Salvage', key: 's' },
  { path: '/claims/drift', name: 'Declared and actual', key: 'd' },
] as const;
