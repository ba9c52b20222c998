//! Matched sets of coils.

use super::{design, measure_well, run, set_up};
use store::ClientKey;
use trade::matching::Measure;
use workshop::{MatchingQuery, Refusal, Strength};

#[tokio::test]
async fn a_coil_is_in_one_set_at_most() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let of = workshop.revision(&actor, revision).await.unwrap().row.design_id;
    let mut ids = Vec::new();
    for _ in 0..4 {
        let id = run(&workshop, &actor, revision).await;
        measure_well(&workshop, &actor, id).await;
        ids.push(id);
    }
    let waiting = run(&workshop, &actor, revision).await;
    let query = MatchingQuery {
        roles: vec![of, of],
        criteria: vec![(Measure::Resistance, 0.02)],
        stronger: (Strength::Turns, 0.0),
        opposite: false,
    };
    let found = workshop.match_coils(&actor, &query, &[]).await.unwrap();
    // Coils without readings are not in stock.
    assert!(!found.coils.iter().any(|c| c.run_id == waiting));
    assert_eq!(found.proposals.len(), 2);
    let key = ClientKey::random();
    let coils = [(ids[0], "bridge"), (ids[1], "neck")];
    workshop.make_set(&actor, &key, "Marram, first", &coils).await.unwrap();
    workshop.make_set(&actor, &key, "Marram, first", &coils).await.unwrap();
    let (members, rows) = workshop.sets(&actor).await.unwrap();
    assert_eq!((members.len(), rows.len()), (2, 2));
    let taken = workshop.make_set(&actor, &ClientKey::random(), "Other", &[(ids[1], "neck")]).await;
    assert!(matches!(taken, Err(Refusal::CoilInAnotherSet)));
    // What is in a set is proposed no more.
    let left = workshop.match_coils(&actor, &query, &members).await.unwrap();
    assert_eq!((left.coils.len(), left.proposals.len()), (2, 1));
    // What was sold does not come back to stock by a slip; what was marked by mistake is reserved again.
    let set = members[0].set_id;
    workshop.mark_set_sold(&actor, set, true).await.unwrap();
    assert!(workshop.sets(&actor).await.unwrap().0.iter().all(|m| m.sold_at.is_some()));
    assert!(workshop.dissolve_set(&actor, set).await.is_err());
    workshop.mark_set_sold(&actor, set, false).await.unwrap();
    workshop.dissolve_set(&actor, set).await.unwrap();
    assert!(workshop.sets(&actor).await.unwrap().0.is_empty());
    workshop.make_set(&actor, &ClientKey::random(), "Other", &[(ids[1], "neck")]).await.unwrap();
}

#[tokio::test]
async fn coils_of_one_sense_make_no_hum_cancelling_pair() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let of = workshop.revision(&actor, revision).await.unwrap().row.design_id;
    for _ in 0..2 {
        let id = run(&workshop, &actor, revision).await;
        measure_well(&workshop, &actor, id).await;
    }
    let query = MatchingQuery {
        roles: vec![of, of],
        criteria: vec![(Measure::Inductance, 0.05)],
        stronger: (Strength::Turns, 0.0),
        opposite: true,
    };
    let found = workshop.match_coils(&actor, &query, &[]).await.unwrap();
    assert!(found.proposals.is_empty() && found.coils.len() == 2);
}
