/** Numbers and names as people read them: fixed digits, U+2212 for minus, "12%", units after the value. */

import { shallowRef } from 'vue'

/** Three values for reading; a channel that is no number says so. */
export function threeText(values: readonly (number | null)[], digits: number): string {
  return values.map((value) => value?.toFixed(digits).replace('-', '−') ?? 'NaN/Inf').join('  ')
}

export function stopsText(stops: number): string {
  if (Math.abs(stops) < 0.005) return '0'
  return `${stops > 0 ? '+' : '−'}${Math.abs(stops).toFixed(2)}`
}

const shownNames = shallowRef<Record<string, string>>({})

/** What people call the lights of the open shot, by their own names. */
export function showLightsAs(names: Record<string, string>): void {
  shownNames.value = names
}

/** A name as people read it: as it is shown in this shot, else quay_lamps is Quay lamps. */
export function displayName(name: string): string {
  const shown = shownNames.value[name]
  if (shown) return shown
  const words = name.replaceAll('_', ' ')
  return words.charAt(0).toUpperCase() + words.slice(1)
}

/** A number of things in words: 1 pass, 57 passes. */
export function pluralise(count: number, one: string): string {
  return `${count} ${one}${count === 1 ? '' : one.endsWith('s') ? 'es' : 's'}`
}

export function percent(share: number): string {
  const value = share * 100
  if (value >= 9.95) return `${value.toFixed(0)}%`
  return value >= 0.05 ? `${value.toFixed(1)}%` : value > 0 ? '<0.1%' : '0%'
}

/** By how many stops a thumbnail is brightened, where it is. */
export const liftText = (stops: number) => (stops ? `+${stops} stops` : '')

const MOMENT = new Intl.DateTimeFormat('en-GB', {
  day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit',
}) // prettier-ignore

/** A moment of local time as "30 Nov 23:45". */
export const momentText = (moment: string) => MOMENT.format(new Date(moment)).replace(',', '')
