// A certificate or nonconformance report: facts, readings against their limits, instruments, grounds.
#import "look.typ": *
#import "steps.typ": *

#sheet(data.foot, data.number)[
  #head(
    data.tint,
    {
      text(size: 9pt, fill: soft, data.site)
      heading(level: 1, data.heading)
      text(size: 11pt, weight: "bold")[#data.number_line#h(14pt)#word(data.verdict, data.tint, size: 11pt)]
    },
    code-to-scan(21mm),
  )
  #warnings(data.warnings)
  #facts(data.facts)
  #if data.above != "" { block(text(size: 7.5pt, data.above)) }
  #if data.wiring.len() > 0 [
    == #data.words.wiring
    #if data.wiring.told != "" { block(text(size: 7pt, fill: soft, data.wiring.told)) }
    #align(center, image(data.wiring.file, width: 88%, alt: data.wiring.alt))
  ]
  == #data.words.readings
  #groups(data.groups)
  == #data.words.instruments
  #paragraphs(data.instruments)
  == #data.words.grounds
  #paragraphs(data.grounds)
  #signatures(data.signatures)
]
