import bookings from '../samples/bookings.yaml?raw'
import cafes from '../samples/cafes.compose.yaml?raw'
import crew from '../samples/crew-office.csv?raw'

/** Invented files to try an import with, the same that `./rombel samples` writes. */
export const SAMPLES = [
  { name: 'bookings.yaml', words: 'manifests', text: bookings },
  { name: 'cafes.compose.yaml', words: 'Compose', text: cafes },
  { name: 'crew-office.csv', words: 'a spreadsheet', text: crew },
] as const
