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
