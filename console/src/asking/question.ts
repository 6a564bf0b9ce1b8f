import type { Schemas } from '../api/client'

export type Question = Schemas['QuestionOut']

/** The nest that a question names when it is asked once for the load. */
export const WHOLE_LOAD = 'all'
