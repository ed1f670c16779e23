import * as en from './en'
import { spread } from './pseudo'

/**
 * What the pages say, a table for each sheet: sentences as text, sentences with figures as functions.
 *
 * Another language is another folder beside `en` with the same tables; TypeScript names what it lacks.
 */
export type Words = typeof en

const tables: Record<string, Words> = { en, 'en-XA': spread(en) }

// chosen before the first page is drawn, and kept until the next reload
const language = localStorage.getItem('vistazo-language') ?? 'en'
export const {
  brief,
  check,
  cloud,
  common,
  days,
  deliver,
  draw,
  field,
  georeference,
  plan,
  register,
  shell,
  terms,
  walks,
} = tables[language] ?? en
