/** The walk-through of a package. It is handed over, so it stays in the language of the report. */
export const walk = {
  title: (job: string) => `${job}: walk-through`,
  about: (revision: number, reference: string, heights: string, unit: string, simulated: boolean) =>
    `package ${revision} · ${reference} · heights ${heights} · ${unit}${simulated ? ' · SIMULATED scans' : ''}`,
  cannotRead: (file: string) => `${file} is not beside this page: unpack the whole folder`,
  error: (plan: string, height: string, unit: string) => ` · 95 %: ${plan} in plan, ${height} in height ${unit}`,
  errorNotKnown: ' · 95 % not known',
  coordinates: (e: string, n: string, h: string, unit: string) => `E ${e} · N ${n} · H ${h} ${unit}`,
  looking: (degrees: string) => `looking ${degrees}° from grid north`,
  notesAt: (name: string) => `Notes at ${name}`,
  notesFromSite: 'Notes from site',
  opening: (name: string) => `opening ${name} …`,
  openingTheCloud: 'opening the cloud …',
  station: (name: string) => `Station ${name}`,
}
