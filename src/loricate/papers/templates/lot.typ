// The summary of a lot: its yields, each unit's latest verdict, and which units wait.
#import "look.typ": *

#sheet(data.foot, data.number)[
  #head(
    data.tint,
    {
      text(size: 9pt, fill: soft, data.site)
      heading(level: 1, data.heading)
      text(size: 11pt, weight: "bold")[#data.number_line#h(14pt)#data.state]
    },
    if data.has_code { code-to-scan(21mm) } else { [] },
  )
  #warnings(data.warnings)
  #facts(data.facts)
  #if data.above != "" { block(text(size: 7.5pt, data.above)) }
  == #data.words.units
  #table(
    columns: (1fr, 1fr, 0.35fr, 0.9fr), column-gutter: 6pt, inset: (x: 0pt, y: 3pt),
    table.header(..column-heads(data.heads)),
    ..for unit in data.units {
      (unit.serial, word(unit.verdict, unit.tint), unit.times, unit.document)
    },
  )
  #if data.waiting.len() > 0 [
    == #data.words.waiting
    #paragraphs(data.waiting)
  ]
  == #data.words.grounds
  #paragraphs(data.grounds)
  #signatures(data.signatures)
]
