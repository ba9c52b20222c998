//! Deleting what nothing depends on, and other names.

use super::inventory::{new_spool, start_on};
use super::orders::{asked, saved};
use super::*;
use store::audit::{AuditAction, AuditFilter};
use store::deletion::Deletable;
use store::part::NewPart;

async fn spool(workshop: &Workshop, actor: &Actor, label: &str) -> store::SpoolId {
    workshop.add_spool(actor, &new_spool(label, Some(5000.0))).await.unwrap()
}

#[tokio::test]
async fn what_nothing_depends_on_is_deleted_and_noted() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let next =
        SaveRevision { parent: Some(revision), newest_seen: 1, ..command(tall_single("Sedge", 6, 10.6)) };
    let next = workshop.save_revision(&actor, &next).await.unwrap();
    workshop.label_revision(&actor, revision, "", &["bright".into()], None).await.unwrap();
    let order = saved(&workshop, &actor, &asked(revision, 1)).await;
    // The order names it in its document.
    let named = workshop.delete(&actor, Deletable::Revision, next.0).await;
    assert!(matches!(named, Err(Refusal::InUse("design"))), "{named:?}");
    workshop.delete(&actor, Deletable::Order, order.0).await.unwrap();
    workshop.delete(&actor, Deletable::Revision, next.0).await.unwrap();
    assert_eq!(workshop.revision(&actor, revision).await.unwrap_err().code(), "not-found");
    let again = workshop.delete(&actor, Deletable::Revision, next.0).await;
    assert_eq!(again.unwrap_err().code(), "not-found");
    let trail = AuditFilter { action: Some(AuditAction::Design), ..AuditFilter::default() };
    let noted = workshop.audit_trail(&actor, &trail, None).await.unwrap();
    assert!(noted.rows.iter().any(|row| row.object == "Sedge" && row.after_text.is_none()));
}

#[tokio::test]
async fn what_something_depends_on_stays() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let spool = spool(&workshop, &actor, "K-7").await;
    workshop.start_run(&actor, &start_on(&actor, revision, spool)).await.unwrap();
    for (what, id) in [(Deletable::Revision, revision.0), (Deletable::Spool, spool.0)] {
        assert_eq!(workshop.delete(&actor, what, id).await.unwrap_err().code(), "in-use", "{what:?}");
    }
    // Nothing of it is half deleted.
    assert_eq!(workshop.revision_details(&actor, revision).await.unwrap().siblings.len(), 1);
}

#[tokio::test]
async fn things_get_other_names() {
    let (workshop, actor, _) = set_up().await;
    let revision = design(&workshop, &actor).await;
    let (one, other) = (spool(&workshop, &actor, "K-7").await, spool(&workshop, &actor, "K-8").await);
    workshop.rename_spool(&actor, one, "K-9").await.unwrap();
    let taken = workshop.rename_spool(&actor, other, "K-9").await;
    assert!(matches!(taken, Err(Refusal::NameTaken("spool"))));
    let new = NewPart {
        key: ClientKey::random(),
        kind: trade::stock::PartKind::Magnet,
        name: "Rod".into(),
        each_cost: None,
        order_below: None,
        supplier: String::new(),
        stock: 12,
    };
    let part = workshop.add_part(&actor, &new).await.unwrap();
    workshop.rename_part(&actor, part, "Rod, 17 mm").await.unwrap();
    // Its stock belongs to it alone.
    workshop.delete(&actor, Deletable::Part, part.0).await.unwrap();
    // A design's earlier revisions keep the name that they were saved under.
    let renamed = workshop.rename_design(&actor, revision, ClientKey::random(), "Rush").await.unwrap();
    assert_eq!(workshop.revision(&actor, renamed).await.unwrap().design.name, "Rush");
    assert_eq!(workshop.revision(&actor, revision).await.unwrap().design.name, "Sedge");
    let same = workshop.rename_design(&actor, revision, ClientKey::random(), "Rush").await;
    assert!(matches!(same, Err(Refusal::NothingNew)));
}
