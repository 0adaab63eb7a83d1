// The page of a report: walks the blocks in report.json; every text comes in as a value, never as markup.
#let d = json("report.json")
#let ink = rgb("#1E2A32")
#let muted = rgb("#55636B")
#let line-colour = rgb("#CFC8BA")
#let accent = rgb("#0B5C6B")
#let inflamed = rgb("#B3261E")

#set document(title: d.title, author: d.author, date: none)
#set page(
  paper: "a4",
  margin: (x: 18mm, top: 16mm, bottom: 18mm),
  footer: context {
    set text(8pt, fill: muted)
    grid(
      columns: (1fr, auto),
      d.foot,
      [#counter(page).display() / #counter(page).final().first()],
    )
  },
)
#set text(font: ("B612", "Libertinus Serif"), lang: d.language, size: 9.5pt, fill: ink)
#set par(leading: 0.62em, spacing: 0.9em)
#set figure(gap: 3pt)
#set table(stroke: 0.4pt + line-colour, inset: 4pt)
#show heading.where(level: 1): it => block(above: 0pt, below: 8pt, text(17pt, weight: "bold", it.body))
#show heading.where(level: 2): it => block(above: 14pt, below: 7pt, text(12.5pt, weight: "bold", fill: accent, it.body))
#show heading.where(level: 3): it => block(above: 10pt, below: 5pt, text(10pt, weight: "bold", it.body))
#show figure.caption: it => text(8pt, fill: muted, it.body)

#grid(
  columns: (1fr, auto),
  align: (left + horizon, right + horizon),
  text(10pt, weight: "bold", fill: accent, d.workshop),
  if d.mark != none { image(d.mark, height: 14mm, alt: "Mark of " + d.workshop) },
)
#v(2mm)

#let cell(text-value, right) = align(if right { std.right } else { left }, text-value)

#for b in d.blocks {
  if b.kind == "heading" {
    heading(level: b.level, b.text)
  } else if b.kind == "lead" {
    par(text(12pt, weight: "bold", b.text))
  } else if b.kind == "quiet" {
    par(text(8.5pt, fill: muted, b.text))
  } else if b.kind == "caution" {
    block(inset: (left: 8pt, y: 3pt), stroke: (left: 2pt + inflamed), b.text)
  } else if b.kind == "text" {
    par(b.text)
  } else if b.kind == "items" {
    list(..b.rows)
  } else if b.kind == "table" {
    if b.caption != "" { heading(level: 3, b.caption) }
    table(
      columns: b.widths.map(w => w * 1fr),
      align: (x, y) => if b.right.at(x) { right } else { left },
      fill: (x, y) => if y == 0 { rgb("#E9E4D8") },
      table.header(..b.head.map(h => text(8.5pt, weight: "bold", h))),
      ..b.rows.flatten().map(c => text(8.5pt, c)),
    )
  } else if b.kind == "bars" {
    for row in b.rows {
      grid(
        columns: (32mm, 1fr, 26mm),
        gutter: 6pt,
        align: horizon,
        row.name,
        pdf.artifact(box(width: 100%, height: 6pt, fill: rgb("#E9E4D8"),
          align(left, box(width: row.share * 100%, height: 6pt, fill: accent)))),
        row.says,
      )
    }
  } else if b.kind == "picture" {
    figure(image(b.file, width: b.share * 100%, alt: b.alt), caption: b.caption, supplement: none)
  } else if b.kind == "gap" {
    pagebreak(weak: true)
  }
}
