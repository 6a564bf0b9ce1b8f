// The report of a unit in a run, as deep as it was asked for.
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
    if data.has_code { code-to-scan(21mm) } else { [] },
  )
  #warnings(data.warnings)
  #facts(data.facts)
  #if data.above != "" { block(text(size: 7.5pt, data.above)) }
  #if data.left != "" { block(above: 8pt, text(size: 8pt, weight: "bold", data.left)) }
  #if data.wiring.len() > 0 [
    == #data.words.wiring
    #if data.wiring.told != "" { block(text(size: 7pt, fill: soft, data.wiring.told)) }
    #align(center, image(data.wiring.file, width: 88%, alt: data.wiring.alt))
  ]
  #if data.groups.len() > 0 [
    == #data.words.readings
    #groups(data.groups)
  ]
  #if data.photos.len() > 0 [
    == #data.words.photos
    #pictures(data.photos)
  ]
  #if data.remarks.len() > 0 [
    == #data.words.remarks
    #paragraphs(data.remarks)
  ]
  #if data.instruments.len() > 0 [
    == #data.words.instruments
    #paragraphs(data.instruments)
  ]
  #if data.grounds.len() > 0 [
    == #data.words.grounds
    #paragraphs(data.grounds)
  ]
  #signatures(data.signatures)
]
