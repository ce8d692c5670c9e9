import { defineStore } from 'pinia'
import { ref } from 'vue'
import type { Problem } from '../../core/contracts/problem.ts'
import { ApiProblem } from '../api/client.ts'

/** The problem that is shown, whichever part of the screen met it. */
export const useProblems = defineStore('problems', () => {
  const current = ref<Problem | null>(null)

  const show = (error: unknown): void => {
    if (!(error instanceof ApiProblem)) throw error
    if (error.problem.code !== 'SIGN_IN_NEEDED') current.value = error.problem
  }

  /** Run something; a problem is shown and makes the result undefined. */
  const catching = async <T>(action: () => Promise<T>): Promise<T | undefined> => {
    try {
      const result = await action()
      current.value = null
      return result
    } catch (error) {
      show(error)
      return undefined
    }
  }

  const clear = (): void => {
    current.value = null
  }
  return { current, show, catching, clear }
})
