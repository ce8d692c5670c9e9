import { picturesOfPage } from '../../core/pictures/named-pictures.ts'

/** A file of the site that needs no computing and no database: the first style sheet that a page names. @param named address of the page */
export const plainFileOf = (html: string, named: string): string | undefined => {
  const { sheets } = picturesOfPage(html, new URL(named))
  const own = sheets.map((address) => new URL(address)).find(({ host }) => host === new URL(named).host)
  return own === undefined ? undefined : own.pathname + own.search
}
