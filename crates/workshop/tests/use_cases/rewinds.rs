//! Examined pickups: weighed, chosen, diagnosed, brought back, copied, and photographed.

use super::*;
use coil::design::{Design, Format, starting_point};
use coil::identification::Measurement;
use coil::prediction::{Calibration, Solution};
use store::RewindId;
use store::deletion::Deletable;
use store::photo::PhotoSubject;
use store::rewind::{Purpose, RewindState};
use trade::diagnosis::{Outcome, QuickTest};
use trade::impedance_fit::Swept;
use trade::traveller::{RewindFinish, Wrap};
use workshop::{
    AddPhoto, ComparedId, CopyRewind, OverlayRef, Restoration, RestorationWishes, RestoreRewind, RewindDraft,
    SaveRewind,
};

/// A pickup of 43 AWG, and a sheet with what a bench reads of it.
fn examined() -> (Design, RewindDraft) {
    let mut design = starting_point(Format::TallSingle, "Unknown", 6, 10.4);
    design.coils[0].wire.gauge = "43 AWG".parse().unwrap();
    design.coils[0].wind.turns = 8200;
    let prediction = Solution::compute(&design).unwrap().prediction(&Calibration::default());
    let mut draft = RewindDraft::begun("Drawer find", starting_point(Format::TallSingle, "Unknown", 6, 10.4));
    let reading = |value| Some(Measurement { value, ..Measurement::default() });
    let measured = &mut draft.findings.measured;
    measured.resistance_ohm = reading(prediction.pickup.resistance_20c_ohm.nominal);
    measured.inductance_h = reading(prediction.circuit.meter(1000.0).ls_h);
    let core = design.coils[0].former.core.size_mm();
    measured.outer_width_mm = reading(core.1 + 2.0 * prediction.coils[0].build_max_mm);
    measured.wire_overall_mm = reading(design.coils[0].wire.data().overall_m * 1e3);
    (design, draft)
}

async fn saved(workshop: &Workshop, actor: &Actor, draft: &RewindDraft) -> RewindId {
    let command = SaveRewind { key: ClientKey::random(), of: None, draft: draft.clone() };
    workshop.save_rewind(actor, &command).await.unwrap()
}

#[tokio::test]
async fn a_pickup_is_found_out_and_brought_back() {
    let (workshop, owner, _) = set_up().await;
    let (truth, mut draft) = examined();
    draft.finish = RewindFinish { wrap: Wrap::String, is_aged: true };
    let id = saved(&workshop, &owner, &draft).await;
    let (row, _) = workshop.rewind(&owner, id).await.unwrap();
    assert!(row.conclusion.starts_with("43 AWG"), "{}", row.conclusion);
    workshop.choose_explanation(&owner, (id, 1), 0).await.unwrap();
    let (row, kept) = workshop.rewind(&owner, id).await.unwrap();
    assert_eq!(row.state.0, RewindState::Explained);
    assert_eq!(kept.chosen.as_ref().unwrap().gauge, truth.coils[0].wire.gauge);
    assert!(matches!(
        workshop.choose_explanation(&owner, (id, 1), 0).await,
        Err(Refusal::ChangedMeanwhile("rewind"))
    ));

    // Three ways back; the old edge has as many turns as the workshop's own lay takes for it.
    let found = workshop.identify_findings(&owner, &kept.findings).await.unwrap();
    let wishes = RestorationWishes { more_turns_percent: 10.0, gauge: None };
    let offers = workshop.restorations(&owner, &kept, &found, wishes).await.unwrap();
    assert_eq!(offers.len(), 3);
    let turns = |way| offers.iter().find(|o| o.way == way).unwrap().design.coils[0].wind.turns;
    let original = f64::from(turns(Restoration::Original));
    assert!((original / 8200.0 - 1.0).abs() < 0.03, "{original}");
    assert!((f64::from(turns(Restoration::OldEdge)) / 8200.0 - 1.0).abs() < 0.05);
    assert!((f64::from(turns(Restoration::Improved)) / original - 1.1).abs() < 0.001);
    // Of thicker wire fewer turns reach the old edge: about as many as fit into the same section, in proportion to the wire's own.
    let thicker = RestorationWishes { gauge: "42 AWG".parse().ok(), ..wishes };
    let other = workshop.restorations(&owner, &kept, &found, thicker).await.unwrap();
    let of = |offers: &[workshop::RestorationOffer]| {
        let edge = offers.iter().find(|o| o.way == Restoration::OldEdge).unwrap();
        let thickest = coil::prediction::lay_coil(&edge.design, 0).unwrap().1.thickest_m();
        (f64::from(edge.design.coils[0].wind.turns), thickest)
    };
    let ((thin, edge), (thick, same_edge)) = (of(&offers), of(&other));
    assert!((same_edge / edge - 1.0).abs() < 0.02, "{edge} {same_edge}");
    assert!((0.7..0.9).contains(&(thick / thin)), "{thick} {thin}");

    let restore = RestoreRewind {
        key: ClientKey::random(),
        of: (id, row.version),
        way: Restoration::Original,
        wishes: RestorationWishes::default(),
    };
    let revision = workshop.restore_rewind(&owner, &restore).await.unwrap();
    // It stands beside what is made of it, with what was read of it.
    let both = [ComparedId::Rewind(id), ComparedId::Revision(revision)];
    let side_by_side = workshop.compare(&owner, &both).await.unwrap();
    let ohms = |k: usize| side_by_side[k].prediction.as_ref().unwrap().pickup.resistance_20c_ohm.nominal;
    assert!((ohms(0) / ohms(1) - 1.0).abs() < 1e-3 && side_by_side[0].name == "Drawer find");
    let read = side_by_side[0].measured[0].values[&trade::reading::Kind::Resistance];
    assert!((read / ohms(0) - 1.0).abs() < 0.02, "{read}");
    let operator = Actor { role: Role::Operator, ..owner };
    assert!(matches!(workshop.compare(&operator, &both).await, Err(Refusal::NotAllowed(_))));
    let (row, _) = workshop.rewind(&owner, id).await.unwrap();
    assert_eq!((row.state.0, row.revision_id), (RewindState::Designed, Some(revision)));
    assert!(workshop.coils_of_rewind(&owner, &row).await.unwrap().is_empty());

    // Its run begins with what is done before an old pickup can be wound, and is compared with the original.
    let run = run(&workshop, &owner, revision).await;
    let details = workshop.run_details(&owner, run).await.unwrap();
    let first: Vec<&str> = details.progress.operations.iter().take(3).map(|o| o.0.key.as_str()).collect();
    assert_eq!(first, ["photograph", "unsolder", "unwind"]);
    let has = |key: &str| details.progress.operations.iter().any(|o| o.0.key == key);
    assert!(has("wrap") && has("age"), "finished as its owner wants it");
    assert_eq!(workshop.coils_of_rewind(&owner, &row).await.unwrap().len(), 1);
}

#[tokio::test]
async fn a_model_becomes_the_start_of_a_design_with_targets() {
    let (workshop, owner, _) = set_up().await;
    let (_, mut draft) = examined();
    draft.purpose = Purpose::Model;
    let id = saved(&workshop, &owner, &draft).await;
    let copy = CopyRewind {
        key: ClientKey::random(),
        of: id,
        name: "Like it, louder".into(),
        more_output_percent: 15.0,
        least_peak_hz: Some(4000.0),
    };
    let made = workshop.copy_rewind(&owner, &copy).await.unwrap();
    assert_eq!(workshop.copy_rewind(&owner, &copy).await.unwrap(), made, "the same submission");
    let design = workshop.revision(&owner, made).await.unwrap().design;
    assert_eq!((design.name.as_str(), design.targets.peak_hz.unwrap()[0]), ("Like it, louder", 4000.0));
    // Settled on, it can be laid over the response of any design.
    workshop.choose_explanation(&owner, (id, 1), 0).await.unwrap();
    let query = ContextQuery {
        overlays: vec![OverlayRef::Rewind(id)],
        overlay_choices: true,
        ..ContextQuery::default()
    };
    let shown = workshop.preview(&owner, &design, None, None, &query).await.unwrap().context;
    assert_eq!((shown.overlays.len(), shown.overlays[0].1.as_str()), (1, "Drawer find"));
    let now = Solution::compute(&design)
        .unwrap()
        .prediction(&Calibration::default())
        .pickup
        .relative_output_db
        .nominal;
    let [low, high] = design.targets.output_db.unwrap();
    // 15 % more is 1.21 dB.
    assert!((0.5 * (low + high) - now - 1.21).abs() < 0.05);
}

/// With the pickup's own capacitance read and its wire explained, a curve tells the cable and the input that hung on it.
#[tokio::test]
async fn a_curve_tells_what_hung_on_it() {
    let (workshop, owner, _) = set_up().await;
    let (truth, mut draft) = examined();
    let prediction = Solution::compute(&truth).unwrap().prediction(&Calibration::default());
    let own_f = prediction.pickup.capacitance_f.nominal;
    let reading = Measurement { value: own_f * 1e12, ..Measurement::default() };
    draft.findings.measured.capacitance_pf = Some(reading);
    let (load_f, load_ohm) = (470e-12, 220e3);
    let hz: Vec<f64> = (0..80).map(|k| 100.0 * 1.07_f64.powi(k)).collect();
    let ohms: Vec<f64> = hz
        .iter()
        .map(|f| {
            let mut admittance = prediction.circuit.source(*f).impedance.inv();
            admittance.re += 1.0 / load_ohm;
            admittance.im += std::f64::consts::TAU * f * load_f;
            admittance.inv().norm()
        })
        .collect();
    let curve = || (Swept::Impedance, hz.clone(), ohms.clone());
    let found = workshop.fit_curve(&owner, &draft, curve(), (None, None)).await.unwrap().unwrap();
    let (f, ohm) = (found.load_f.unwrap().nominal, found.load_ohm.unwrap().nominal);
    assert!((f / load_f - 1.0).abs() < 0.06, "{f}");
    assert!((ohm / load_ohm - 1.0).abs() < 0.15, "{ohm}");
    let known = (Some(load_f), Some(load_ohm));
    let found = workshop.fit_curve(&owner, &draft, curve(), known).await.unwrap().unwrap();
    assert!((found.capacitance_f.unwrap().nominal / own_f - 1.0).abs() < 0.3 && found.load_f.is_none());
}

#[tokio::test]
async fn a_diagnosis_is_kept_answer_by_answer() {
    let (workshop, owner, _) = set_up().await;
    let (truth, draft) = examined();
    let id = saved(&workshop, &owner, &draft).await;
    let found = workshop.identify_findings(&owner, &draft.findings).await.unwrap();
    let expected = workshop.expected_readings(&owner, &draft, &found).await.unwrap();
    let known = Solution::compute(&truth).unwrap().prediction(&Calibration::default());
    let ratio = expected.resistance_ohm.unwrap().nominal / known.pickup.resistance_ohm.nominal;
    assert!((ratio - 1.0).abs() < 0.02 && expected.quality.unwrap() > 1.0, "{ratio}");
    let answers = [
        (QuickTest::Resistance, Outcome::AsExpected),
        (QuickTest::ToMetal, Outcome::AsExpected),
        (QuickTest::Inductance, Outcome::Low),
    ];
    for (k, answer) in answers.iter().enumerate() {
        let version = u32::try_from(k + 1).unwrap();
        workshop.answer_quick_test(&owner, (id, version), Some(*answer)).await.unwrap();
    }
    assert_eq!(workshop.rewind(&owner, id).await.unwrap().1.answers, answers);
    // One given anew takes what came after it back; and the last can be taken back.
    let other = Some((QuickTest::ToMetal, Outcome::Unsteady));
    workshop.answer_quick_test(&owner, (id, 4), other).await.unwrap();
    assert_eq!(workshop.rewind(&owner, id).await.unwrap().1.answers.len(), 2);
    workshop.answer_quick_test(&owner, (id, 5), None).await.unwrap();
    assert_eq!(workshop.rewind(&owner, id).await.unwrap().1.answers.len(), 1);
}

/// Recipes are not shown to those who only wind; photos of runs are, and theirs to take.
#[tokio::test]
async fn who_may_see_and_change_what() {
    let (workshop, owner, _) = set_up().await;
    let (_, draft) = examined();
    let id = saved(&workshop, &owner, &draft).await;
    let operator = Actor { role: Role::Operator, ..owner };
    let viewer = Actor { role: Role::Viewer, ..owner };
    assert!(matches!(workshop.rewind(&operator, id).await, Err(Refusal::NotAllowed(_))));
    assert!(workshop.rewind(&viewer, id).await.is_ok());
    assert!(workshop.choose_explanation(&viewer, (id, 1), 0).await.is_err());
    let picture = {
        let mut out = std::io::Cursor::new(Vec::new());
        image::DynamicImage::new_rgb8(8, 6).write_to(&mut out, image::ImageFormat::Png).unwrap();
        out.into_inner()
    };
    let photo = |subject, subject_id, bytes: &[u8]| AddPhoto {
        key: ClientKey::random(),
        subject,
        subject_id,
        caption: " the\u{7} leads ".into(),
        bytes: bytes.to_vec(),
    };
    let of_rewind = photo(PhotoSubject::Rewind, id.0, &picture);
    assert!(matches!(workshop.add_photo(&operator, of_rewind.clone()).await, Err(Refusal::NotAllowed(_))));
    let added = workshop.add_photo(&owner, of_rewind).await.unwrap();
    assert_eq!(workshop.photos(&owner, PhotoSubject::Rewind, id.0).await.unwrap()[0].caption, "the leads");
    assert!(workshop.photo_picture(&operator, added, true).await.is_err());
    assert!(workshop.photo_picture(&viewer, added, true).await.unwrap().starts_with(&[0xff, 0xd8]));
    let wrong = workshop.add_photo(&owner, photo(PhotoSubject::Rewind, id.0, b"<svg>")).await;
    assert!(matches!(wrong, Err(Refusal::NotAPicture)));
    let revision = design(&workshop, &owner).await;
    let run = run(&workshop, &owner, revision).await;
    let of_run = workshop.add_photo(&operator, photo(PhotoSubject::Run, run.0, &picture)).await.unwrap();
    assert!(workshop.set_photo_removed(&viewer, of_run, true).await.is_err());
    workshop.set_photo_removed(&operator, of_run, true).await.unwrap();
    // What was photographed of a rewind goes with it.
    workshop.delete(&owner, Deletable::Rewind, id.0).await.unwrap();
    assert!(matches!(workshop.photo_picture(&owner, added, true).await, Err(Refusal::NotFound(_))));
}
