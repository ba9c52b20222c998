//! The fields of what surrounds the winding: potting, leads, and what is tied to ground.

use super::fields::{Entry, FieldDef, Group, bare_in, def, mm, number, optional, percent, words};
use crate::field::Choice;
use coil::Word as _;
use coil::design::{Design, Grounded, LeadKind, Medium};
use coil::quantity::Capacitance;

const fn medium_words(medium: Medium) -> &'static str {
    match medium {
        Medium::None => "not potted",
        Medium::Wax => "wax",
        Medium::Lacquer => "lacquer",
        Medium::Epoxy => "epoxy",
    }
}

const fn lead_words(kind: LeadKind) -> &'static str {
    match kind {
        LeadKind::TwistedPair => "twisted pair",
        LeadKind::Shielded => "one lead in a braided shield",
        LeadKind::FourConductor => "four leads in a shield",
        LeadKind::None => "none",
    }
}

const fn grounded_words(part: Grounded) -> &'static str {
    match part {
        Grounded::Poles => "Poles",
        Grounded::Plate => "Plates",
        Grounded::Cover => "Cover",
        Grounded::Foil => "Foil round the coils",
    }
}

fn grounded(part: Grounded) -> FieldDef {
    let choices = if part == Grounded::Foil {
        words(&[("no", "none"), ("yes", "grounded foil")])
    } else {
        words(&[("no", "not grounded"), ("yes", "grounded")])
    };
    let hint = match part {
        Grounded::Poles => "Counts where the coil's start is hot: then the first turns face the poles.",
        Grounded::Plate | Grounded::Cover => "Metal that is not grounded picks up hum.",
        Grounded::Foil => "Against hum. Leave its ends open, or it is a shorted turn.",
    };
    def(format!("wiring.grounded.{}", part.word()), grounded_words(part), choices, hint)
}

/// The group of a design.
pub(super) fn group(design: &Design) -> Group {
    let media = Medium::ALL.iter().map(|m| Choice::new(m.word(), medium_words(*m))).collect();
    let leads = LeadKind::ALL.iter().map(|k| Choice::new(k.word(), lead_words(*k))).collect();
    let mut fields = vec![
        def("potting.medium", "Potting", Entry::Choice(media), "What fills the gaps between the turns."),
        def("potting.fill", "Gaps filled", percent(), "Wax drawn in by vacuum fills nearly all, a dip half."),
        def("leads.kind", "Leads", Entry::Choice(leads), "What hangs on the coil before any cable."),
        def("leads.length_mm", "Length of the leads", mm(), "From the coil to where the cable is joined."),
        def(
            "leads.pf_per_m",
            "Leads, measured",
            optional(number("pF/m", |t| bare_in(t, |c: Capacitance| c.farads() * 1e12, "pF"))),
            "Empty for what is usual of the kind: 42 twisted, 165 shielded, 148 with four leads.",
        ),
    ];
    let parts = Grounded::ALL.into_iter().filter(|part| part.is_in(design));
    fields.extend(parts.map(grounded));
    if design.foil_gap_mm().is_some() {
        let hint = "From the thicker places of the winding: tape between. Empty for 0.3 mm.";
        fields.push(def("wiring.foil_gap_mm", "Distance of the foil", optional(mm()), hint));
    }
    Group { title: "Potting, leads and ground".into(), folded: true, fields, ..Group::default() }
}

#[cfg(test)]
mod tests {
    use super::super::{form_of, read};
    use super::*;
    use coil::design::{Format, LeadKind, Leads, MetalPart, Potting, starting_point};
    use coil::quantity::Units;
    use rstest::rstest;

    /// A design whose document says nothing of its surroundings.
    fn silent(kind: Format) -> Design {
        let mut design = starting_point(kind, "Sedge", 6, 10.0);
        (design.potting, design.leads, design.wiring.grounded) = (None, None, None);
        design
    }

    /// The design after some fields were typed over.
    fn typed(base: &Design, fields: &[(&str, &str)]) -> Design {
        let mut form = form_of(base, Units::default());
        for (name, value) in fields {
            form.0.insert((*name).into(), (*value).into());
        }
        read(&form, base, &[], Units::default()).unwrap().design
    }

    #[test]
    fn what_nobody_touched_stays_unsaid() {
        for kind in Format::ALL {
            assert_eq!(typed(&silent(kind), &[]), silent(kind), "{kind:?}");
        }
    }

    #[test]
    fn potting_and_leads_are_read() {
        let base = silent(Format::TallSingle);
        let fields = [
            ("potting.medium", "wax"),
            ("potting.fill", "80"),
            ("leads.kind", "shielded"),
            ("leads.length_mm", "400"),
        ];
        let design = typed(&base, &fields);
        assert_eq!(design.potting, Some(Potting { medium: Medium::Wax, fill: 0.8 }));
        assert_eq!(design.leads, Some(Leads { kind: LeadKind::Shielded, length_mm: 400.0, pf_per_m: None }));
        let measured = typed(&design, &[("leads.pf_per_m", "187")]);
        assert_eq!(measured.leads.and_then(|l| l.pf_per_m), Some(187.0));
        assert_eq!(typed(&measured, &[("leads.pf_per_m", "")]).leads.and_then(|l| l.pf_per_m), None);
    }

    #[test]
    fn a_part_is_tied_to_ground_and_taken_off() {
        let base = silent(Format::TwinCoil);
        let poles = typed(&base, &[("wiring.grounded.poles", "yes")]);
        assert_eq!(poles.wiring.grounded, Some(vec![Grounded::Poles, Grounded::Plate]));
        let foil = typed(&poles, &[("wiring.grounded.plate", "no"), ("wiring.grounded.foil", "yes")]);
        assert_eq!(foil.wiring.grounded, Some(vec![Grounded::Poles, Grounded::Foil]));
        // Where a foil is there, its distance can be said.
        assert!(group(&foil).fields.iter().any(|f| f.at == "wiring.foil_gap_mm"));
        assert!(!group(&base).fields.iter().any(|f| f.at == "wiring.foil_gap_mm"));
    }

    /// A plate that becomes a cover takes its ground along only if covers are grounded too; what is no longer there is dropped.
    #[test]
    fn what_is_no_longer_there_is_not_grounded() {
        let mut base = silent(Format::TwinCoil);
        base.wiring.grounded = Some(vec![Grounded::Plate]);
        let design = typed(&base, &[("metal[0].part", "cover")]);
        assert_eq!(design.metal[0].part, MetalPart::Cover);
        assert_eq!(design.wiring.grounded, Some(Vec::new()));
    }

    #[rstest]
    #[case("leads.length_mm", "50 m")]
    #[case("potting.fill", "300 %")]
    #[case("leads.kind", "rope")]
    #[case("potting.medium", "honey")]
    #[case("wiring.grounded.poles", "perhaps")]
    fn what_cannot_be_is_refused_at_its_field(#[case] field: &str, #[case] value: &str) {
        let base = silent(Format::TallSingle);
        let mut form = form_of(&base, Units::default());
        form.0.insert(field.into(), value.into());
        let errors = read(&form, &base, &[], Units::default()).unwrap_err();
        assert_eq!(errors.keys().map(String::as_str).collect::<Vec<_>>(), [field]);
    }
}
