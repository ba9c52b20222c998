//! Markup of drawings. Names of elements and attributes come from the code; values and text are escaped as they are
//! added, so that no name that somebody typed can become markup.

use std::fmt::{self, Display, Write as _};

/// Writes text with everything escaped that markup gives a meaning.
struct Escaping<'a>(&'a mut String);

impl fmt::Write for Escaping<'_> {
    fn write_str(&mut self, text: &str) -> fmt::Result {
        for c in text.chars() {
            match c {
                '&' => self.0.push_str("&amp;"),
                '<' => self.0.push_str("&lt;"),
                '>' => self.0.push_str("&gt;"),
                '"' => self.0.push_str("&quot;"),
                '\'' => self.0.push_str("&#39;"),
                // Characters that no XML document may hold.
                c if c.is_control() && !matches!(c, '\t' | '\n' | '\r') => {}
                c => self.0.push(c),
            }
        }
        Ok(())
    }
}

/// Appends text, escaped; writing to a string cannot fail.
fn push_escaped(to: &mut String, text: impl Display) {
    let _ = write!(Escaping(to), "{text}");
}

/// The text as it stands in markup, within an element or an attribute's quotes.
pub(crate) fn escaped(text: impl Display) -> String {
    let mut out = String::new();
    push_escaped(&mut out, text);
    out
}

/// An element under construction.
///
/// ```
/// use presentation::drawing::Element;
/// let title = Element::new("title").text("a <b> & \"c\"");
/// let mark = Element::new("circle").with("r", 2).child(title);
/// assert_eq!(mark.markup(), r#"<circle r="2"><title>a &lt;b&gt; &amp; &quot;c&quot;</title></circle>"#);
/// ```
#[derive(Clone, Debug)]
pub struct Element {
    name: &'static str,
    attributes: String,
    content: String,
}

impl Element {
    /// An element without attributes and content.
    #[must_use]
    pub fn new(name: &'static str) -> Self {
        Self { name, attributes: String::new(), content: String::new() }
    }

    /// With an attribute.
    #[must_use]
    pub fn with(mut self, name: &'static str, value: impl Display) -> Self {
        let _ = write!(self.attributes, " {name}=\"");
        push_escaped(&mut self.attributes, value);
        self.attributes.push('"');
        self
    }

    /// With text after what it holds.
    #[must_use]
    pub fn text(mut self, text: impl Display) -> Self {
        push_escaped(&mut self.content, text);
        self
    }

    /// With an element after what it holds.
    #[must_use]
    #[allow(clippy::needless_pass_by_value, reason = "elements are made to be put")]
    pub fn child(mut self, child: Self) -> Self {
        child.write(&mut self.content);
        self
    }

    /// With all that was drawn after what it holds.
    #[must_use]
    pub(crate) fn children(mut self, drawn: &Svg) -> Self {
        self.content.push_str(&drawn.0);
        self
    }

    fn write(&self, to: &mut String) {
        let Self { name, attributes, content } = self;
        let _ = if content.is_empty() {
            write!(to, "<{name}{attributes}/>")
        } else {
            write!(to, "<{name}{attributes}>{content}</{name}>")
        };
    }

    /// Its markup.
    #[must_use]
    pub fn markup(&self) -> String {
        let mut out = String::new();
        self.write(&mut out);
        out
    }
}

/// A drawing under construction.
#[derive(Debug, Default)]
pub(crate) struct Svg(String);

impl Svg {
    /// Adds an element.
    #[allow(clippy::needless_pass_by_value, reason = "elements are made to be put")]
    pub(crate) fn put(&mut self, element: Element) {
        element.write(&mut self.0);
    }

    /// A dimension line from `a` to `b`, with its text beside the middle; linked to the field that sets it.
    pub(crate) fn dimension(&mut self, a: (f64, f64), b: (f64, f64), text: &str, field: &str) {
        let is_upright = (a.0 - b.0).abs() < 1e-9;
        let (tx, ty) = ((a.0 + b.0) / 2.0, (a.1 + b.1) / 2.0);
        let tick = if is_upright { (0.7, 0.0) } else { (0.0, 0.7) };
        let ends = [a, b].map(|end| {
            let (from, to) = ((end.0 - tick.0, end.1 - tick.1), (end.0 + tick.0, end.1 + tick.1));
            format!("M{:.3} {:.3}L{:.3} {:.3}", from.0, from.1, to.0, to.1)
        });
        let line = format!("M{:.3} {:.3}L{:.3} {:.3}{}{}", a.0, a.1, b.0, b.1, ends[0], ends[1]);
        let words = Element::new("text").with("class", "dim-text");
        let words = if is_upright {
            words
                .with("x", format_args!("{:.3}", tx + 1.0))
                .with("y", format_args!("{ty:.3}"))
                .with("dominant-baseline", "middle")
        } else {
            words
                .with("text-anchor", "middle")
                .with("x", format_args!("{tx:.3}"))
                .with("y", format_args!("{:.3}", ty - 0.8))
        };
        let group = Element::new("g").with("data-field", field);
        self.put(
            group.child(Element::new("path").with("class", "dim").with("d", line)).child(words.text(text)),
        );
    }

    /// The whole drawing in its frame, as one picture.
    pub(crate) fn framed(self, view: [f64; 4], class: &str, title: &str) -> String {
        self.in_frame(view, class, title, "img")
    }

    /// The whole drawing in its frame, as a group of parts that can be reached one by one.
    pub(crate) fn framed_group(self, view: [f64; 4], class: &str, title: &str) -> String {
        self.in_frame(view, class, title, "group")
    }

    fn in_frame(self, view: [f64; 4], class: &str, title: &str, role: &str) -> String {
        let frame = Element::new("svg")
            .with("class", format_args!("drawing {class}"))
            .with("viewBox", format_args!("{:.2} {:.2} {:.2} {:.2}", view[0], view[1], view[2], view[3]))
            .with("role", role)
            .with("aria-label", title)
            // The library of the pages' forms looks for nothing inside a drawing.
            .with("x-ignore", "")
            .with("xmlns", "http://www.w3.org/2000/svg");
        frame.children(&self).markup()
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rstest::rstest;

    #[rstest]
    #[case::element("<script>alert(1)</script>")]
    #[case::quote("\" onload=\"alert(1)")]
    #[case::apostrophe("' onload='alert(1)")]
    #[case::entity("&lt;b&gt;")]
    #[case::comment("--><img src=x>")]
    #[case::cdata("]]><g/>")]
    #[case::control("a\u{0}b\u{8}c\u{1b}")]
    fn nothing_typed_becomes_markup(#[case] typed: &str) {
        let element =
            Element::new("text").with("class", typed).text(typed).child(Element::new("title").text(typed));
        let markup = element.markup();
        assert_eq!(markup.matches('<').count(), 4, "{markup}");
        assert_eq!(markup.matches('"').count(), 2, "{markup}");
        assert!(!markup.contains('\'') && !markup.chars().any(char::is_control), "{markup}");
    }

    #[test]
    fn an_empty_element_closes_itself() {
        assert_eq!(Element::new("path").with("d", "M0 0h1").markup(), r#"<path d="M0 0h1"/>"#);
    }

    #[test]
    fn a_dimension_stands_beside_an_upright_line_and_above_a_level_one() {
        let mut svg = Svg::default();
        svg.dimension((0.0, 0.0), (0.0, 10.0), "10 high", "height");
        svg.dimension((0.0, 0.0), (8.0, 0.0), "8", "width");
        let markup = svg.framed([0.0, 0.0, 10.0, 10.0], "test", "A <test>");
        assert!(markup.contains(r#"x="1.000" y="5.000" dominant-baseline="middle">10 high"#), "{markup}");
        assert!(markup.contains(r#"x="4.000" y="-0.800">8"#), "{markup}");
        assert!(markup.contains(r#"aria-label="A &lt;test&gt;""#), "{markup}");
    }
}
