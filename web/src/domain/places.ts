/** The places of the bench in the order of the work, each with its key. */
export const PLACES = [
  { name: 'supply', title: 'Supply', key: '1' },
  { name: 'targets', title: 'Targets', key: '2' },
  { name: 'demand', title: 'Demand', key: '3' },
  { name: 'fit', title: 'Fit', key: '4' },
  { name: 'addresses', title: 'Addresses', key: '5' },
  { name: 'preflight', title: 'Pre-flight', key: '6' },
  { name: 'drills', title: 'Drills', key: '7' },
  { name: 'rehearsal', title: 'Rehearsal', key: '8' },
  { name: 'ledger', title: 'Ledger', key: '9' },
  { name: 'handover', title: 'Handover', key: '0' },
] as const
export type PlaceName = (typeof PLACES)[number]['name']
