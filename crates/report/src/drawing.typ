#let d = json(bytes(sys.inputs.drawing))
#let ink = rgb("#22303c")
#let faint = rgb("#8a949c")
#let accent = rgb("#1d6b74")
#let bad = rgb("#8c2f2b")
#set document(title: d.title)
#set page(width: d.paper.at(0) * 1mm, height: d.paper.at(1) * 1mm, margin: 0mm)
#set text(font: ("Libertinus Serif",), size: 8pt, fill: ink, number-type: "lining")
#let styles = (
  wall: 1.4pt + ink,
  low: 0.5pt + ink,
  opening: (paint: accent, thickness: 0.6pt, dash: "dotted"),
  unseen: (paint: bad, thickness: 0.5pt, dash: "dashed"),
  contour: 0.3pt + rgb("#a07d4f"),
  index: 0.8pt + rgb("#a07d4f"),
  breakline: (paint: accent, thickness: 0.8pt, dash: "dash-dotted"),
  area: (paint: ink, thickness: 0.9pt, dash: "dashed"),
)
// the border
#place(dx: 10mm, dy: 10mm, rect(width: (d.paper.at(0) - 20) * 1mm, height: (d.paper.at(1) - 20) * 1mm, stroke: 0.8pt + ink))
#if d.picture != none {
  let (x, y, w, h) = d.picture.place.map(v => v * 1mm)
  place(dx: x, dy: y, image(sys.inputs.picture, width: w, height: h, fit: "stretch"))
  place(dx: x, dy: y, rect(width: w, height: h, stroke: 0.3pt + faint))
}
#for c in d.crosses {
  let (x, y) = (c.at(0) * 1mm, c.at(1) * 1mm)
  place(dx: x - 2mm, dy: y, line(length: 4mm, stroke: 0.3pt + faint))
  place(dx: x, dy: y - 2mm, line(length: 4mm, angle: 90deg, stroke: 0.3pt + faint))
  if c.at(2) != "" { place(dx: x + 0.6mm, dy: y + 0.6mm, text(5.5pt, fill: faint)[#c.at(2)]) }
  if c.at(3) != "" { place(dx: x + 0.6mm, dy: y - 2.6mm, text(5.5pt, fill: faint)[#c.at(3)]) }
}
#for p in d.paths {
  let (first, ..rest) = p.at(0).map(q => q.map(v => v * 1mm))
  place(curve(stroke: styles.at(p.at(1)), curve.move(first), ..rest.map(q => curve.line(q))))
}
#for l in d.lines {
  let (a, b, c, e) = l.at(0).map(v => v * 1mm)
  place(line(start: (a, b), end: (c, e), stroke: styles.at(l.at(1))))
}
#for c in d.circles {
  place(dx: (c.at(0) - c.at(2)) * 1mm, dy: (c.at(1) - c.at(2)) * 1mm, circle(radius: c.at(2) * 1mm, stroke: 1.2pt + ink))
}
#for l in d.labels {
  let body = text(5.8pt, fill: accent)[#l.at(2)]
  place(dx: l.at(0) * 1mm - 15mm, dy: l.at(1) * 1mm - 3mm, box(width: 30mm, height: 6mm, align(center + horizon, rotate(l.at(3) * 1deg, box(fill: white.transparentize(20%), inset: 0.6pt, body)))))
}
// title block along the foot
#let foot = 42mm
#place(bottom + left, dx: 10mm, dy: -10mm, box(width: (d.paper.at(0) - 20) * 1mm, height: foot, stroke: (top: 0.8pt + ink), fill: white,
  grid(columns: (1.25fr, 2.2fr, 0.9fr), rows: (foot,),
    grid.cell(inset: 4mm)[
      #text(15pt, weight: "bold")[#d.title] \
      #text(9.5pt)[#d.subtitle] \
      #if d.warning != "" { text(8pt, fill: bad, weight: "bold")[#d.warning] }
      #v(1fr)
      #text(7pt, fill: faint)[#if d.upright [Seen square on by laser scans: lengths along the plane are true, what stands before or behind it is shown where it stands.] else [Drawn from laser scans. Lines lie within the stated uncertainty.] What is not shown was not seen. Not a record of what is load-bearing, live or safe: site rules and licensed practice decide.]
    ],
    grid.cell(inset: 4mm, stroke: (left: 0.4pt + faint, right: 0.4pt + faint))[
      #grid(columns: (1fr, 1fr), column-gutter: 6mm, row-gutter: 2mm,
        ..d.facts.map(f => [#text(fill: faint, size: 6.2pt)[#upper(f.at(0))] \ #text(8pt)[#f.at(1)]]))
    ],
    grid.cell(inset: 4mm)[
      #grid(columns: (auto, 1fr), column-gutter: 5mm,
        if d.upright { none } else { box(width: 9mm, height: 14mm, {
          place(dx: 4.5mm, dy: 1mm, line(length: 12mm, angle: 90deg, stroke: 0.8pt + ink))
          place(dx: 2.7mm, dy: 0mm, polygon(fill: ink, (1.8mm, 0mm), (3.6mm, 4mm), (1.8mm, 3mm), (0mm, 4mm)))
        }) },
        [#text(13pt, weight: "bold")[#d.scale] \ #text(6.5pt, fill: faint)[#if d.upright [heights in the margin] else [grid north is up]]])
      #v(1fr)
      #stack(spacing: 2pt, text(7pt)[#d.bar.at(1)], line(length: d.bar.at(0) * 1mm, stroke: 1.6pt + ink))
      #v(2mm)
      #set text(6.5pt)
      #for (name, style) in d.key {
        box(width: 8mm, baseline: -2pt, line(length: 7mm, stroke: styles.at(style))); [#name #h(2mm)]
      }
    ])))
