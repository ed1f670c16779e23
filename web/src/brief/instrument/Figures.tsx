import { Head } from '../../parts'
import { brief as words } from '../../words'
import { type Editing, inputsOf } from './inputs'

const ARC_SECOND = Math.PI / 648000
const DEGREE = Math.PI / 180

/** What an instrument is and how it scatters. */
export function Figures(p: Editing) {
  const { number, length } = inputsOf(p)
  return (
    <div className="fields">
      {length('range_sigma', words.rangeNoise1)}
      {number('range_sigma_per_m', words.growingWithRangeBy, 1e-6, 'mm/km', 1)}
      {number('angular_sigma', words.angularNoise1, ARC_SECOND, '″', 3)}
      {number('compensator_sigma', 'Compensator, 1σ', ARC_SECOND, '″', 3, 'none')}
      {length('min_range', words.shortestRange, false)}
      {number('elevation_min', words.verticalFieldOfView, DEGREE, '°', 2)}
      {number('elevation_max', words.verticalFieldOfViewTo, DEGREE, '°', 2)}
      {length('beam_exit', words.beamDiameterAtExit)}
      {number('beam_divergence', words.beamDivergenceFull, 1e-3, 'mrad', 4)}
      {number('warm_up', 'Warm-up', 60, 'min', 2)}
      {number('photograph_time', words.photographsAllRound, 1, 's', 1)}
      {number('battery_time', words.aBatteryLasts0, 60, 'min', 1)}
      {number('bytes_per_point', 'Storage', 1, words.bytesAPoint, 2)}
      {length('centring_sigma', words.centringOverAMark)}
      {length('height_sigma', words.measuredHeights1)}
      {number('sighting_sigma', words.sightingAReflector1, ARC_SECOND, '″', 3, words.cannotSight)}
    </div>
  )
}

/** What does not average out, however many points there are. */
export function SharedErrors(p: Editing) {
  const { shared } = inputsOf(p)
  return (
    <>
      <Head aside={words.n10LeavesOne}>{words.whatDoesNotAverage}</Head>
      <p className="faint">{words.errorsThatAllPoints}</p>
      <div className="fields">
        {shared('range_offset', words.rangeOffset, null)}
        {shared('reflectivity', words.rangeBlackAgainstWhite, null)}
        {shared('range_scale', words.rangeScale, 1e-6, 'mm/km')}
        {shared('collimation', 'Collimation', ARC_SECOND, '″')}
        {shared('trunnion', words.trunnionAxis, ARC_SECOND, '″')}
        {shared('index', words.verticalIndex, ARC_SECOND, '″')}
        {shared('index_at_set_up', words.verticalIndexNewAt, ARC_SECOND, '″')}
        {shared('settling', words.tripodSettlesDuringA, null)}
        {shared('turning', words.tripodTurnsDuringA, ARC_SECOND, '″')}
        {shared('roundness', words.roundnessAndStemOf, null)}
        {shared('flatness', words.flatnessOfCheckerboards, null)}
      </div>
    </>
  )
}
