// A certificate or nonconformance report: facts, readings against their limits, instruments, grounds.
#import "look.typ": *

#let columns = (1fr, 15%, 9%, 16%, 26%, 11%)
#let sides = (left, right, right, right, left, left)
#let between = (2pt, 4pt, 4pt, 6pt, 5pt, 0pt)

#let heads = table.header(..column-heads(data.heads))

// Most cells are as the table is set; what is empty costs nothing.
#let reading(row) = (
  [#h(6pt)#row.name],
  row.measured,
  if row.uncertainty == "" { [] } else { text(size: 7pt, fill: soft, row.uncertainty) },
  if row.limit.len() < 20 { row.limit } else { text(size: 6.6pt, row.limit) },
  if row.source == "" { [] } else { text(size: 6.6pt, fill: soft, row.source) },
  if row.verdict == "" { [] } else { text(size: 7pt, fill: tints.at(row.tint), row.verdict) },
)

#let drawings(step) = for curve in step.curves {
  (table.cell(colspan: 6, align(center, image(curve.file, width: 92%, alt: curve.alt))),)
}

// What a curve is in figures.
#let figures(each) = pad(left: 6pt, y: 3pt, table(
  columns: each.heads.map(head => 24%),
  align: right,
  row-gutter: -1pt,
  table.header(..column-heads(each.heads)),
  ..each.rows.flatten().map(cell => text(size: 7.2pt, cell)),
))

// Below a title is room for what hangs from its letters.
#let opening(step) = (
  table.cell(colspan: 5, inset: (top: 4pt, bottom: 2.5pt), text(size: 8.5pt, weight: "bold", step.title)),
  table.cell(inset: (top: 4pt, bottom: 2.5pt), word(step.verdict, step.tint)),
  ..if step.told == "" { () } else {
    (table.cell(colspan: 6, inset: (left: 6pt, top: 1pt, bottom: 2pt), text(size: 6.8pt, fill: soft, step.told)),)
  },
)

#let ending = table.hline(stroke: 0.3pt + rule)

#let listed(steps) = {
  set text(size: 7.6pt)
  table(
  columns: columns, align: sides, column-gutter: between, heads,
  ..for step in steps {
    // The typesetter breaks down at a head of which nothing is below.
    if step.rows.len() + step.curves.len() + step.tables.len() > 0 { (table.header(level: 2, repeat: false, ..opening(step)),) } else { opening(step) }
    for row in step.rows {
      if row.heading { (table.cell(colspan: 5, [#h(6pt)#text(fill: soft, row.name)]), text(size: 7pt, fill: tints.at(row.tint), row.verdict)) } else { reading(row) }
    }
    for each in step.tables { (table.cell(colspan: 6, figures(each)),) }
    drawings(step)
    (ending,)
  },
  )
}

// A step with several points: a row a point, a column a quantity.
#let pointed(step) = {
  let quantities = step.points.heads
  block(above: 6pt, below: 2pt, sticky: true, {
    grid(columns: (1fr, 11%), text(size: 8.5pt, weight: "bold", step.title), word(step.verdict, step.tint))
    if step.told != "" { pad(left: 6pt, text(size: 6.8pt, fill: soft, step.told)) }
  })
  if step.headlines.len() > 0 {
    set text(size: 7.2pt)
    table(
      columns: (1fr, 10%, 6%, 9%, 24%, 7%), align: sides, column-gutter: 5pt,
      table.header(..column-heads((data.words.headlines, ..data.heads.slice(1)))),
      ..for row in step.headlines { reading(row) },
    )
    v(4pt)
  }
  table(
    columns: (1.4fr, ..quantities.map(each => 1fr), 9%),
    align: (left, ..quantities.map(each => right), left),
    column-gutter: 6pt,
    table.header(..column-heads((step.points.first, ..quantities, step.points.last))),
    ..for row in step.points.rows {
      (pad(left: 6pt, text(size: 7.2pt, row.name)),)
      row.cells.map(each => text(size: 7.2pt, fill: tints.at(each.tint), each.text))
      (text(size: 7pt, fill: tints.at(row.tint), row.verdict),)
    },
  )
  paragraphs(step.points.limits)
  for each in step.tables { figures(each) }
  for curve in step.curves { align(center, image(curve.file, width: 92%, alt: curve.alt)) }
  if step.rows.len() > 0 {
    table(columns: columns, align: sides, column-gutter: between, heads, ..for row in step.rows { reading(row) })
  }
  line(length: 100%, stroke: 0.3pt + rule)
}

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
  #for group in data.groups {
    if group.sort == "points" { pointed(group.steps.first()) } else { listed(group.steps) }
  }
  == #data.words.instruments
  #paragraphs(data.instruments)
  == #data.words.grounds
  #paragraphs(data.grounds)
  #signatures(data.signatures)
]
