// A label with a sequence's code, to be scanned at the bench: 62 mm by 29 mm.
#import "look.typ": *

#set document(title: data.title, author: data.site, description: data.about, date: auto)
#set page(width: 62mm, height: 29mm, margin: 2.5mm)
#set text(font: "DejaVu Sans", fill: ink, lang: data.look.language, hyphenate: false)
#set par(leading: 0.35em)

#grid(
  columns: (1fr, 13mm), column-gutter: 2.5mm,
  {
    // A code has no place to break: it is as large as there is room.
    layout(room => {
      let wide = measure(text(size: 10pt, weight: "bold", data.code)).width
      text(size: 10pt * calc.min(1, room.width / wide), weight: "bold", data.code)
    })
    v(-3pt)
    block(height: 17pt, clip: true, text(size: 7pt, data.name))
  },
  image("code.svg", width: 13mm, alt: data.words.code),
)
#if data.bars_mm > 0 {
  place(bottom + center, image("bars.svg", width: data.bars_mm * 1mm, height: 9mm, fit: "stretch", alt: data.words.bars))
}
