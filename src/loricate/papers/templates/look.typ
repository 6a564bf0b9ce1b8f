// What every sheet has in common: page, fonts, colours, head, facts, signatures. A template of a
// site's own may import it. Everything that is shown comes as data; nothing of it is ever markup.

#let data = json("data.json")
#let ink = rgb(data.look.colours.ink)
#let soft = rgb(data.look.colours.soft)
#let rule = rgb(data.look.colours.rule)
#let tints = (
  good: rgb(data.look.colours.good),
  bad: rgb(data.look.colours.bad),
  unsure: rgb(data.look.colours.unsure),
  plain: ink,
)

#let small(body) = text(size: 7pt, fill: soft, body)
#let word(shown, tint, size: 7.5pt) = text(size: size, weight: "bold", fill: tints.at(tint), shown)

// The page: size and language of the site, the foot with its number. Wrap the whole sheet in it.
#let sheet(foot-left, foot-right, body) = {
  set document(
    title: data.title,
    author: data.site,
    description: data.about,
    date: auto,
  )
  set page(
    paper: data.look.page,
    margin: (x: 16mm, top: 14mm, bottom: 17mm),
    footer: context {
      stack(
        spacing: 4pt,
        line(length: 100%, stroke: 0.5pt + rule),
        grid(
          columns: (1fr, auto),
          small(foot-left),
          small[#foot-right#h(8pt)#(data.words.page) #counter(page).display() #(data.words.of) #counter(page).final().first()],
        ),
      )
    },
  )
  set text(font: "DejaVu Sans", size: 8pt, fill: ink, lang: data.look.language, hyphenate: false)
  set par(leading: 0.5em, spacing: 0.62em)
  set table(stroke: none, inset: (x: 0pt, y: 2pt))
  show heading.where(level: 1): set text(size: 15pt, weight: "bold")
  show heading.where(level: 1): set block(above: 9pt, below: 9pt)
  show heading.where(level: 2): set text(size: 10pt, weight: "bold")
  show heading.where(level: 2): set block(above: 11pt, below: 6pt, sticky: true)
  show table.cell: set par(leading: 0.42em)
  body
}

// The head: a bar in the colour of the verdict, who issued it, what it is, a logo, a code to scan.
#let head(tint, lines, mark) = {
  let logo = if data.look.logo == "" { [] } else {
    image(data.look.logo, height: 18mm, width: 38mm, fit: "contain", alt: data.words.logo)
  }
  block(
    stroke: (left: 4pt + tints.at(tint)),
    inset: (left: 10pt, y: 1pt),
    grid(columns: (1fr, auto, auto), column-gutter: 8pt, align: (left, right + top, right + top), lines, logo, mark),
  )
}

#let code-to-scan(size) = image("code.svg", height: size, alt: data.words.code)

// The heads of a table's columns, over a rule.
#let column-heads(names) = names.map(each => table.cell(
  stroke: (bottom: 0.8pt + rule), inset: (x: 0pt, top: 2pt, bottom: 3pt), small(each),
))

// Words in a frame that nobody overlooks: a document that no longer counts says so first.
#let warnings(texts) = for each in texts {
  show regex("[A-Z]-\d{4}-\d{6,}"): box // a number is never broken
  block(width: 100%, stroke: 1.2pt + tints.bad, inset: 6pt, text(weight: "bold", fill: tints.bad, each))
}

// Names and values in two columns, the first half on the left.
#let facts(rows) = {
  let middle = calc.ceil(rows.len() / 2)
  let cells(row) = if row == none { ([], []) } else {
    (row.name, if row.strong { strong(row.value) } else { row.value })
  }
  set text(size: 8.5pt)
  show grid.cell.where(x: 0).or(grid.cell.where(x: 2)): set text(size: 8pt, fill: soft)
  block(above: 9pt, below: 4pt, grid(
    columns: (70pt, 0.92fr, 60pt, 1fr), row-gutter: 5pt, column-gutter: 4pt,
    ..for index in range(middle) { (..cells(rows.at(index)), ..cells(rows.at(middle + index, default: none))) }
  ))
}

// A line to sign on for each role; what was signed already stands on it.
#let signatures(roles) = block(
  breakable: false, above: 22pt, width: 100%,
  grid(
    columns: (1fr, 1fr), column-gutter: 10%,
    row-gutter: 14pt,
    ..roles.map(role => stack(
      spacing: 3pt,
      box(height: 18pt, width: 100%, align(bottom, text(size: 7pt, role.signed))),
      line(length: 100%, stroke: 0.6pt + rule),
      small(role.title),
    ))
  ),
)

#let paragraphs(lines) = for each in lines { block(above: 4pt, below: 0pt, text(size: 7.5pt, each)) }

// Photos two in a row, each with its words.
#let pictures(shown) = block(above: 5pt, below: 3pt, grid(
  columns: (1fr, 1fr), column-gutter: 8pt, row-gutter: 6pt,
  ..shown.map(each => block(breakable: false, {
    if each.file == "" { [] } else { image(each.file, width: 100%, height: 52mm, fit: "contain", alt: each.caption) }
    small(each.caption)
  })),
))
