import { type RefObject, useEffect, useRef } from 'react'
import type uPlot from 'uplot'

/** A plot in a box, drawn anew when its width or the mode of the page changes. */
export function usePlot(make: (holder: HTMLDivElement) => uPlot): RefObject<HTMLDivElement | null> {
  const place = useRef<HTMLDivElement>(null)
  useEffect(() => {
    const holder = place.current
    if (holder === null) return
    let plot: uPlot | null = null
    function draw() {
      if (holder === null) return
      plot?.destroy()
      plot = make(holder)
    }
    draw()
    const resized = new ResizeObserver(draw)
    resized.observe(holder)
    // The mode is a class of the document: canvas ink must be taken anew when it changes.
    const dressed = new MutationObserver(draw)
    dressed.observe(document.documentElement, { attributeFilter: ['class'] })
    return () => {
      resized.disconnect()
      dressed.disconnect()
      plot?.destroy()
    }
  }, [make])
  return place
}

/** A colour of the page by its name, as a canvas takes it. */
export function ink(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(`--chakra-colors-${name}`)
}
