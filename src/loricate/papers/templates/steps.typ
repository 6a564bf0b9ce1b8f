// The steps of a certificate or report: readings in rows, tables of points, curves, photos.
#import "look.typ": *

// With limits and their sources a row has six columns, else four.
#let is-full = data.heads.len() == 6
#let wide = data.heads.len()
#let columns = if is-full { (1fr, 15%, 9%, 16%, 26%, 11%) } else { (1fr, 20%, 12%, 14%) }
#let sides = if is-full { (left, right, right, right, left, left) } else { (left, right, right, left) }
#let between = if is-full { (2pt, 4pt, 4pt, 6pt, 5pt, 0pt) } else { (4pt, 6pt, 10pt, 0pt) }

#let heads = table.header(..column-heads(data.heads))

// Most cells are as the table is set; what is empty costs nothing.
#let reading(row, full: is-full) = (
  [#h(6pt)#row.name],
  row.measured,
  if row.uncertainty == "" { [] } else { text(size: 7pt, fill: soft, row.uncertainty) },
  ..if full {
    (
      if row.limit.len() < 20 { row.limit } else { text(size: 6.6pt, row.limit) },
      if row.source == "" { [] } else { text(size: 6.6pt, fill: soft, row.source) },
    )
  },
  if row.verdict == "" { [] } else { text(size: 7pt, fill: tints.at(row.tint), row.verdict) },
)

#let drawings(step) = for curve in step.curves {
  (table.cell(colspan: wide, align(center, image(curve.file, width: 92%, alt: curve.alt))),)
}

// What a curve is in figures.
#let figures(each) = pad(left: 6pt, y: 3pt, table(
  columns: each.heads.map(head => 24%),
  align: right,
  row-gutter: -1pt,
  table.header(..column-heads(each.heads)),
  ..each.rows.flatten().map(cell => text(size: 7.2pt, cell)),
))

// What a report has beside the readings: the procedure's text, and photos.
#let beside(step) = {
  let lines = step.at("procedure", default: ())
  let photos = step.at("photos", default: ())
  if lines.len() + photos.len() == 0 { return none }
  for each in lines { block(above: 3pt, below: 0pt, text(size: 7.2pt, each)) }
  if photos.len() > 0 { pictures(photos) }
}

// Below a title is room for what hangs from its letters.
#let opening(step) = (
  table.cell(colspan: wide - 1, inset: (top: 4pt, bottom: 2.5pt), text(size: 8.5pt, weight: "bold", step.title)),
  table.cell(inset: (top: 4pt, bottom: 2.5pt), word(step.verdict, step.tint)),
  ..if step.told == "" { () } else {
    (table.cell(colspan: wide, inset: (left: 6pt, top: 1pt, bottom: 2pt), text(size: 6.8pt, fill: soft, step.told)),)
  },
  ..if beside(step) == none { () } else { (table.cell(colspan: wide, inset: (left: 6pt, y: 2pt), beside(step)),) },
)

#let ending = table.hline(stroke: 0.3pt + rule)

#let listed(steps) = {
  set text(size: 7.6pt)
  table(
  columns: columns, align: sides, column-gutter: between, heads,
  ..for step in steps {
    // The typesetter breaks down at a head of which nothing is below.
    if step.rows.len() + step.curves.len() + step.tables.len() > 0 and beside(step) == none { (table.header(level: 2, repeat: false, ..opening(step)),) } else { opening(step) }
    for row in step.rows {
      if row.heading { (table.cell(colspan: wide - 1, [#h(6pt)#text(fill: soft, row.name)]), text(size: 7pt, fill: tints.at(row.tint), row.verdict)) } else { reading(row) }
    }
    for each in step.tables { (table.cell(colspan: wide, figures(each)),) }
    drawings(step)
    (ending,)
  },
  )
}

// Points as rows, a column a quantity.
#let points-of(points) = table(
    columns: (1.4fr, ..points.heads.map(each => 1fr), 9%),
    align: (left, ..points.heads.map(each => right), left),
    column-gutter: 6pt,
    table.header(..column-heads((points.first, ..points.heads, points.last))),
    ..for row in points.rows {
      (pad(left: 6pt, text(size: 7.2pt, row.name)),)
      row.cells.map(each => text(size: 7.2pt, fill: tints.at(each.tint), each.text))
      (text(size: 7pt, fill: tints.at(row.tint), row.verdict),)
    },
  )

// Points as places by the circumstances that they were measured under.
#let grid-of(each) = {
  let tiny(body) = text(size: 5.4pt, fill: soft, body)
  table(
    columns: (1.7fr, ..each.heads.map(head => 1fr)),
    align: (left, ..each.heads.map(head => right)),
    column-gutter: 2.5pt,
    inset: (x: 0pt, y: 1.6pt),
    table.header(..column-heads((each.first,)), ..each.heads.map(head => table.cell(
      stroke: (bottom: 0.8pt + rule), inset: (x: 0pt, top: 2pt, bottom: 3pt),
      { text(size: 5.6pt, fill: soft, head.text); if head.limit != "" { linebreak(); text(size: 5.6pt, head.limit) } },
    ))),
    ..for row in each.rows {
      (pad(left: 6pt, text(size: 6.6pt, row.name)),)
      row.cells.map(cell => {
        text(size: if cell.text.len() > 9 { 5.7pt } else { 6.2pt }, fill: tints.at(cell.tint), cell.text.replace(" ", "\u{a0}"))
        if cell.verdict != "" { linebreak(); text(size: 5.8pt, weight: "bold", fill: tints.at(cell.tint), cell.verdict) }
        if cell.below != "" { linebreak(); tiny(cell.below) }
        if cell.limit != "" { linebreak(); tiny(cell.limit) }
      })
    },
  )
}

// A step with several points: a row a point, a column a quantity.
#let pointed(step) = {
  block(above: 6pt, below: 2pt, sticky: true, {
    grid(columns: (1fr, 11%), text(size: 8.5pt, weight: "bold", step.title), word(step.verdict, step.tint))
    if step.told != "" { pad(left: 6pt, text(size: 6.8pt, fill: soft, step.told)) }
  })
  pad(left: 6pt, beside(step))
  if step.headlines.len() > 0 {
    set text(size: 7.2pt)
    table(
      columns: (1fr, 10%, 6%, 9%, 24%, 7%), align: (left, right, right, right, left, left), column-gutter: 5pt,
      table.header(..column-heads((data.words.headlines, ..data.words.judged))),
      ..for row in step.headlines { reading(row, full: true) },
    )
    v(4pt)
  }
  if step.grids.len() > 0 { for each in step.grids { grid-of(each) } } else { points-of(step.points) }
  paragraphs(step.points.limits)
  for each in step.tables { figures(each) }
  for curve in step.curves { align(center, image(curve.file, width: 92%, alt: curve.alt)) }
  if step.rows.len() > 0 {
    v(4pt)
    table(columns: columns, align: sides, column-gutter: between, heads, ..for row in step.rows { reading(row) })
  }
  line(length: 100%, stroke: 0.3pt + rule)
}

// All steps, in their order.
#let groups(all) = for group in all {
  if group.sort == "points" { pointed(group.steps.first()) } else { listed(group.steps) }
}
