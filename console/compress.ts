import { readdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { brotliCompressSync, constants, gzipSync } from 'node:zlib'
import type { Plugin } from 'vite'

const LEAST_BYTES = 1024
const TEXT = /\.(js|css|html|svg)$/

/** Puts beside each file of text what goes over the wire: `.br` and `.gz`. */
export function compress(): Plugin {
  let folder = ''
  return {
    name: 'compress',
    apply: 'build',
    configResolved(config) {
      folder = config.build.outDir
    },
    closeBundle() {
      for (const name of readdirSync(folder, { recursive: true, encoding: 'utf-8' })) {
        if (!TEXT.test(name)) continue
        const path = join(folder, name)
        const data = readFileSync(path)
        if (data.length < LEAST_BYTES) continue
        const params = { [constants.BROTLI_PARAM_QUALITY]: constants.BROTLI_MAX_QUALITY }
        writeFileSync(`${path}.br`, brotliCompressSync(data, { params }))
        writeFileSync(`${path}.gz`, gzipSync(data, { level: 9 }))
      }
    },
  }
}
