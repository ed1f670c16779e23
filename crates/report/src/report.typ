#let r = json(bytes(sys.inputs.report))
#let ink = rgb("#22303c")
#let faint = rgb("#8a949c")
#let head = r.letterhead
#let accent = rgb(if head.colour == "" { "#1d6b74" } else { head.colour })
#let bad = rgb("#8c2f2b")
#set document(title: r.title)
#set page(paper: "a4", margin: (x: 18mm, top: 18mm, bottom: 22mm), footer: context [
  #set text(7.5pt, fill: faint)
  #line(length: 100%, stroke: 0.4pt + faint)
  #v(-6pt)
  #r.foot #h(1fr) page #counter(page).display("1 / 1", both: true)
])
#set text(font: ("Libertinus Serif",), size: 9pt, fill: ink, number-type: "lining")
#show heading: set text(fill: ink)
#show heading.where(level: 1): it => block(above: 14pt, below: 6pt, sticky: true)[#text(11.5pt, weight: "bold", it.body) #v(-7pt) #line(length: 100%, stroke: 0.6pt + accent)]

#if head.lines.len() > 0 or "logo" in sys.inputs {
  grid(columns: (1fr, auto), column-gutter: 14pt, align: (left + bottom, right + bottom),
    text(8.5pt, fill: accent, head.lines.map(l => [#l]).join(linebreak())),
    if "logo" in sys.inputs { box(width: 52mm, height: 18mm, align(right + horizon, image(sys.inputs.logo, width: 52mm, height: 18mm, fit: "contain"))) })
  v(-4pt)
  line(length: 100%, stroke: 1pt + accent)
  v(4pt)
}
#text(21pt, weight: "bold")[#r.title] \
#text(10pt, fill: faint)[#r.subtitle]
#v(2pt)
#if r.verdict != "" {
  let c = if r.verdict_kind == "met" { accent } else if r.verdict_kind == "not met" { bad } else { rgb("#8a6914") }
  block(width: 100%, inset: 8pt, stroke: (left: 3pt + c, rest: 0.4pt + faint))[#text(11pt, fill: c, weight: "bold")[#r.verdict]]
}
#grid(columns: (1fr, 1fr), column-gutter: 14pt, row-gutter: 5pt,
  ..r.facts.map(f => [#text(fill: faint, size: 7.5pt)[#upper(f.at(0))] \ #f.at(1)]))

#if r.sketch.points.len() > 0 [
  #let side = if r.short { 64mm } else { 112mm }
  #align(center, block(width: side, height: side, stroke: 0.4pt + faint, above: 12pt, {
    for l in r.sketch.lines {
      place(line(start: (l.at(0) * side, (1 - l.at(1)) * side), end: (l.at(2) * side, (1 - l.at(3)) * side), stroke: 0.7pt + faint))
    }
    for p in r.sketch.points {
      let (x, y) = (p.at(1) * side, (1 - p.at(2)) * side)
      let kind = p.at(3)
      place(dx: x - 1.4mm, dy: y - 1.4mm, if kind == "station" { polygon(fill: ink, (0mm, 2.6mm), (1.4mm, 0mm), (2.8mm, 2.6mm)) } else if kind == "control" { rect(width: 2.4mm, height: 2.4mm, stroke: 0.8pt + bad) } else { circle(radius: 1.2mm, stroke: 0.8pt + accent) })
      place(dx: x + 1.8mm, dy: y - 1.6mm, text(6.5pt, p.at(0)))
    }
    place(bottom + left, dx: 4mm, dy: -4mm, stack(spacing: 1.5pt, text(6.5pt, r.sketch.scale.at(1)), line(length: r.sketch.scale.at(0) * side, stroke: 1pt + ink)))
  }))
  #align(center, text(7.5pt, fill: faint)[▲ station #h(8pt) ○ target #h(8pt) □ control or check point #h(8pt) north is up])
]

#for s in r.sections {
  heading(level: 1, s.heading)
  if s.note != "" { block(below: 6pt, text(8.5pt, s.note)) }
  if s.rows.len() > 0 {
    set text(7.8pt)
    show table.cell.where(y: 0): set text(fill: faint, size: 7pt)
    table(
      // the last column of words takes what the others leave
      columns: s.columns.enumerate().map(c => if c.at(0) == s.words - 1 and (s.words > 2 or s.words >= s.columns.len()) { 1fr } else { auto }),
      align: (x, y) => if x < s.words { left } else { right },
      stroke: (x, y) => (bottom: if y == 0 { 0.6pt + ink } else { 0.25pt + faint }),
      inset: (x: 4pt, y: 2.6pt),
      table.header(..s.columns.map(c => [#c])),
      ..s.rows.flatten().map(c => [#c]),
    )
  }
}
#if r.figures.len() > 0 {
  heading(level: 1, "Slices that were looked at")
  for (k, f) in r.figures.enumerate() {
    block(breakable: false, above: 10pt, {
      text(9pt, weight: "bold", f.title)
      block(stroke: 0.4pt + faint, above: 4pt, below: 4pt, {
        image(sys.inputs.at("figure-" + str(k)), width: 100%)
        place(bottom + left, dx: 3mm, dy: -3mm, box(width: 40%, stack(spacing: 1.5pt, text(6.5pt, f.scale.at(1)), line(length: f.scale.at(0) * 174mm, stroke: 1pt + ink))))
      })
      text(7.5pt, f.legend.map(l => [#text(fill: rgb(l.at(2)))[#l.at(1)] #l.at(0)]).join(h(8pt)))
      linebreak()
      text(8pt, f.note)
    })
  }
}
#if r.signatures.len() > 0 {
  v(18pt)
  block(breakable: false, grid(columns: r.signatures.map(s => 1fr), column-gutter: 18pt,
    ..r.signatures.map(s => [#line(length: 100%, stroke: 0.6pt + ink) #v(-4pt) #s.at(1) \ #text(7.5pt, fill: faint)[#s.at(0)]])))
}
