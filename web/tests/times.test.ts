import { expect, it } from 'vitest'

import { sessionTime } from '../src/times'

it('says a session\'s time as people read it', () => {
  const nbsp = '\u00a0'
  expect([0, 18, 59.94, 60, 724.9, 3600, 7265.3, 360000].map(sessionTime)).toEqual([`0.0${nbsp}s`, `18.0${nbsp}s`, `59.9${nbsp}s`, '1:00', '12:04', '1:00:00', '2:01:05', '100:00:00'])
})
