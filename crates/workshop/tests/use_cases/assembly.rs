//! Pickups assembled of coils that were wound by themselves.

use super::*;
use coil::design::{Format, starting_point};

async fn coil_run(workshop: &Workshop, actor: &Actor, revision: RevisionId, coil: &str, turns: u32) -> RunId {
    let start = StartRun {
        key: ClientKey::random(),
        revision,
        coil: Some(coil.into()),
        spool: None,
        operator: actor.person,
        winder: None,
        turns,
        stops: Vec::new(),
        wire_g: None,
        remark: String::new(),
        accept_short_spool: false,
        other_wire: None,
    };
    let run = workshop.start_run(actor, &start).await.unwrap();
    assert!(
        workshop
            .log_readings(actor, run, readings(&[(Kind::Turns, f64::from(turns))]))
            .await
            .unwrap()
            .is_empty()
    );
    run
}

/// Two coils of other turns than planned, each by itself: the pickup is predicted by what is on both, follows what is done to the whole,
/// and takes each coil once.
#[tokio::test]
async fn a_twin_is_assembled_of_two_coils() {
    let (workshop, owner, _) = set_up().await;
    let twin = starting_point(Format::TwinCoil, "Sedge", 6, 10.0);
    let planned = twin.coils[0].wind.turns;
    let names: Vec<String> = twin.coils.iter().map(|c| c.name.clone()).collect();
    let revision = workshop.save_revision(&owner, &command(twin)).await.unwrap();
    let a = coil_run(&workshop, &owner, revision, &names[0], planned - 100).await;
    let details = workshop.run_details(&owner, a).await.unwrap();
    let waiting = workshop.assembly(&owner, &details.run).await.unwrap();
    assert!(waiting.whole.is_none() && waiting.others[0].0 == names[1] && waiting.others[0].1.is_empty());
    let b = coil_run(&workshop, &owner, revision, &names[1], planned + 50).await;
    let offered = workshop.assembly(&owner, &details.run).await.unwrap().others;
    assert_eq!(offered[0].1.iter().map(|c| c.run_id).collect::<Vec<_>>(), [b]);

    // The same coil twice is no pickup.
    let wrong = workshop.assemble(&owner, &ClientKey::random(), a, &[a]).await;
    assert!(matches!(wrong, Err(Refusal::NotOneOfEachCoil)), "{wrong:?}");
    let key = ClientKey::random();
    let whole = workshop.assemble(&owner, &key, a, &[b]).await.unwrap();
    assert_eq!(workshop.assemble(&owner, &key, a, &[b]).await.unwrap(), whole);
    let again = workshop.assemble(&owner, &ClientKey::random(), a, &[b]).await;
    assert!(matches!(again, Err(Refusal::CoilInAnotherSet)), "{again:?}");

    let assembled = workshop.run_details(&owner, whole).await.unwrap();
    let turns: Vec<u32> = assembled.run.design.coils.iter().map(|c| c.wind.turns).collect();
    assert_eq!(turns, [planned - 100, planned + 50]);
    let ohms = |d: &workshop::RunDetails| d.prediction.as_ref().unwrap().pickup.resistance_20c_ohm.nominal;
    let parts = [a, b].map(|id| workshop.run_details(&owner, id));
    let [a_alone, b_alone] = parts;
    let sum = ohms(&a_alone.await.unwrap()) + ohms(&b_alone.await.unwrap());
    assert!((ohms(&assembled) / sum - 1.0).abs() < 0.01, "{} {sum}", ohms(&assembled));
    let keys: Vec<String> = assembled.progress.operations.iter().map(|(o, _)| o.key.clone()).collect();
    assert!(keys.contains(&"final".to_owned()) && !keys.contains(&"wind".to_owned()), "{keys:?}");
    let of = workshop.assembly(&owner, &assembled.run).await.unwrap();
    assert_eq!(
        of.coils.iter().map(|c| (c.coil.as_str(), c.run_id)).collect::<Vec<_>>(),
        [(names[0].as_str(), a), (&names[1], b)]
    );
    let first = workshop.run_details(&owner, a).await.unwrap();
    assert_eq!(workshop.assembly(&owner, &first.run).await.unwrap().whole.unwrap().0, whole);
}
