import { defineStore } from 'pinia'
import { ref } from 'vue'
import type { Problem } from '../../core/contracts/problem.ts'
import { ApiProblem } from '../api/client.ts'

/** The problem that is shown, whichever part of the screen met it. */
export const useProblems = defineStore('problems', () => {
  const current = ref<Problem | null>(null)

  const show = (error: unknown): void => {
    if (error instanceof ApiProblem) {
      if (error.problem.code !== 'SIGN_IN_NEEDED') current.value = error.problem
      return
    }
    current.value = {
      type: 'about:blank',
      title: 'Something went wrong here',
      status: 0,
      code: 'UNEXPECTED',
      detail: 'The interface could not continue. Reload the page; nothing that was saved is lost.',
    }
    throw error
  }

  /**
   * Run what somebody asked for; a problem is shown and makes the result undefined.
   * Success takes away the problem that stood there before, not one that came up meanwhile.
   */
  const catching = async <T>(action: () => Promise<T>): Promise<T | undefined> => {
    const before = current.value
    try {
      const result = await action()
      if (current.value === before) current.value = null
      return result
    } catch (error) {
      show(error)
      return undefined
    }
  }

  /** Run what nobody asked for, like a refresh: its success says nothing about the problem that is shown. */
  const unasked = async (action: () => Promise<unknown>): Promise<void> => {
    try {
      await action()
    } catch (error) {
      show(error)
    }
  }

  const clear = (): void => {
    current.value = null
  }
  return { current, show, catching, unasked, clear }
})
