//! Experiments and blind listenings.

use super::{command, design, measure_well, run, set_up};
use coil::design::tall_single;
use store::experiment::{NewExperiment, Score};
use store::person::{NewPerson, Role};
use store::{ClientKey, ExperimentId, RevisionId};
use workshop::{Actor, Refusal, SaveRevision, Workshop};

async fn family(workshop: &Workshop, actor: &Actor) -> (RevisionId, RevisionId, ExperimentId) {
    let first = design(workshop, actor).await;
    let mut other = tall_single("Sedge", 6, 10.4);
    other.coils[0].wind.turns = 8200;
    let second = SaveRevision { parent: Some(first), newest_seen: 1, ..command(other) };
    let second = workshop.save_revision(actor, &second).await.unwrap();
    let new = NewExperiment {
        key: ClientKey::random(),
        question: "Fuller?",
        arms: &[first, second],
        cares_percent: 3.0,
    };
    let id = workshop.begin_experiment(actor, &new).await.unwrap();
    for revision in [first, first, second, second] {
        let id = run(workshop, actor, revision).await;
        measure_well(workshop, actor, id).await;
    }
    (first, second, id)
}

#[tokio::test]
async fn a_listening_hides_what_is_what_until_it_is_scored_once() {
    let (workshop, actor, store) = set_up().await;
    let (_, _, id) = family(&workshop, &actor).await;
    let key = ClientKey::random();
    for _ in 0..2 {
        workshop.begin_listening(&actor, id, &key).await.unwrap();
    }
    let details = workshop.experiment(&actor, id).await.unwrap();
    assert!(details.is_blind() && details.listenings.len() == 1);
    let listening = details.listenings[0].id;
    let samples = workshop.listening_samples(&actor, id, listening).await.unwrap();
    assert_eq!(samples.iter().map(|s| s.letter).collect::<String>(), "ABCD");
    let scores: Vec<Score> = samples
        .iter()
        .map(|s| Score { letter: s.letter, bright: 5, full: 6, liked: 7, words: String::new() })
        .collect();
    // Who was shown which coil is under which letter does not score.
    let helper = NewPerson { name: "Wren", sign_in: "wren", password_hash: Some("x"), role: Role::Owner };
    let other = Actor { person: store.workshop(actor.workshop).add_person(&helper).await.unwrap(), ..actor };
    workshop.see_listening_key(&other, id, listening).await.unwrap();
    assert!(workshop.has_seen_listening_key(&other, listening).await.unwrap());
    let seen = workshop.score_listening(&other, listening, &scores).await;
    assert!(matches!(seen, Err(Refusal::ListeningKeySeen)));
    workshop.score_listening(&actor, listening, &scores).await.unwrap();
    let heard = workshop.experiment(&actor, id).await.unwrap().heard;
    assert_eq!(heard.len(), 3, "every word is compared");
    let again = workshop.score_listening(&actor, listening, &scores).await;
    assert!(matches!(again, Err(Refusal::ListeningScored)));
    assert!(!workshop.experiment(&actor, id).await.unwrap().is_blind());
    let unknown = workshop.listening_samples(&actor, id, store::ListeningId(999_999)).await;
    assert_eq!(unknown.unwrap_err().code(), "not-found");
}

#[tokio::test]
async fn a_closed_experiment_takes_no_listening() {
    let (workshop, actor, _) = set_up().await;
    let (_, _, id) = family(&workshop, &actor).await;
    workshop.close_experiment(&actor, id, "yes").await.unwrap();
    let late = workshop.begin_listening(&actor, id, &ClientKey::random()).await;
    assert!(matches!(late, Err(Refusal::ExperimentClosed)));
    let (all, _) = workshop.experiments(&actor).await.unwrap();
    assert_eq!(all.len(), 1);
}

#[tokio::test]
async fn an_experiment_compares_two_to_eight_revisions_each_once() {
    let (workshop, actor, _) = set_up().await;
    let first = design(&workshop, &actor).await;
    for arms in [vec![], vec![first], vec![first, first], vec![first; 9]] {
        let new =
            NewExperiment { key: ClientKey::random(), question: "Fuller?", arms: &arms, cares_percent: 3.0 };
        let begun = workshop.begin_experiment(&actor, &new).await;
        assert!(matches!(begun, Err(Refusal::NotComparable)), "{arms:?}");
    }
    let missing = [first, RevisionId(999_999)];
    let new =
        NewExperiment { key: ClientKey::random(), question: "Fuller?", arms: &missing, cares_percent: 3.0 };
    assert_eq!(workshop.begin_experiment(&actor, &new).await.unwrap_err().code(), "not-found");
    assert!(workshop.experiments(&actor).await.unwrap().0.is_empty());
}
