import type { Schemas } from '../api/client'

type Bench = Schemas['BenchOut']

export interface Due {
  what: string
  why: string
  address: string
  /** Days that are left; those that are over, or keep a bench from testing, come first. */
  daysLeft: number
}

/** Days before the end of a calibration from which it is pointed out. */
export const SOON_DAYS = 30

/** What of a bench is due: calibrations, answers, zeroes, checks and contacts of fixtures. */
export function dueOf(bench: Bench): Due[] {
  const found: Due[] = []
  for (const each of bench.instruments) {
    const address = `/units?instrument=${encodeURIComponent(each.serial || each.id)}`
    const left = each.days_left
    if (each.problem)
      found.push({ what: each.id, why: each.problem, address: '/bench', daysLeft: -1 })
    else if (each.doubt) {
      found.push({ what: each.id, why: `not believed: it ${each.doubt}`, address, daysLeft: -1 })
    }
    if (left !== null && left <= SOON_DAYS) {
      const why =
        left < 0 ? `calibration over for ${-left} days` : `calibration ends in ${left} days`
      found.push({ what: each.id, why, address, daysLeft: left })
    }
  }
  for (const fixture of bench.fixtures) {
    for (const each of fixture.requirements.filter(({ met }) => !met)) {
      found.push({ what: fixture.code, why: each.reason, address: '/bench', daysLeft: 0 })
    }
  }
  return found.sort((one, other) => one.daysLeft - other.daysLeft)
}
