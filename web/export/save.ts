/** Hand a file to the reader's browser. */
export const saveFile = (name: string, type: string, content: BlobPart): void => {
  const address = URL.createObjectURL(new Blob([content], { type }))
  const link = document.createElement('a')
  link.href = address
  link.download = name
  link.click()
  // The browser has begun to read it by the next turn.
  setTimeout(() => URL.revokeObjectURL(address), 1000)
}

/** A name that any file system takes. */
export const fileName = (parts: readonly string[], ending: string): string =>
  `${parts
    .join('-')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '-')
    .replace(/^-|-$/g, '')
    .slice(0, 80)}.${ending}`

/** Draw an SVG document into a PNG, twice as dense as it says. @throws Error when the browser cannot draw it */
export const svgToPng = async (svg: string, width: number, height: number): Promise<Blob> => {
  const image = new Image()
  image.src = `data:image/svg+xml;charset=utf-8,${encodeURIComponent(svg)}`
  await image.decode()
  const canvas = document.createElement('canvas')
  canvas.width = width * 2
  canvas.height = height * 2
  canvas.getContext('2d')!.drawImage(image, 0, 0, canvas.width, canvas.height)
  return new Promise((resolve, reject) =>
    canvas.toBlob(
      (blob) => (blob === null ? reject(new Error('The picture could not be created.')) : resolve(blob)),
      'image/png',
    ),
  )
}
