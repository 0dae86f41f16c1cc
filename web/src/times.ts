/** A session's time as people read it: 18.0 s, 12:04, 2:00:00. */
export function sessionTime(seconds: number): string {
  if (seconds < 60) return `${seconds.toFixed(1)}\u00a0s`
  const whole = Math.floor(seconds)
  const part = (n: number) => String(n).padStart(2, '0')
  const [hours, minutes] = [Math.floor(whole / 3600), Math.floor(whole / 60) % 60]
  return hours ? `${hours}:${part(minutes)}:${part(whole % 60)}` : `${minutes}:${part(whole % 60)}`
}

const dayTime = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium', timeStyle: 'medium' })
const dayAlone = new Intl.DateTimeFormat(undefined, { dateStyle: 'medium' })

/** A day and a time of day, written the same on every page: 29 Nov 2026, 05:45:12. */
export const dayAndTime = (at: string | Date) => dayTime.format(new Date(at))

/** A day, where the time of day says nothing. */
export const day = (at: string | Date) => dayAlone.format(new Date(at))
