//! Examined pickups and photos: who has them, versions, what they are of.

use super::{design, workshop};
use dev_database::{fresh_database, fresh_store};
use store::audit::{AuditAction, AuditFilter};
use store::photo::{NewPhoto, PhotoSubject};
use store::rewind::{NewRewind, Purpose, RewindState};
use store::{ClientKey, PhotoId, RewindId, Store, StoreError};

const NEW: NewRewind<'static> = NewRewind {
    name: "Dead mandola pickup",
    purpose: Purpose::Rewind,
    tags: "mandola, old",
    document: "{}",
    conclusion: "",
    state: RewindState::Open,
    revision_id: None,
};

#[tokio::test]
async fn rewinds_have_versions_and_belong_to_their_workshop() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let (own, theirs) = (store.workshop(shop), store.workshop(other));
    let key = ClientKey::random();
    let id = own.add_rewind(owner, &key, &NEW).await.unwrap();
    assert_eq!(own.add_rewind(owner, &key, &NEW).await.unwrap(), id, "the same submission");
    let revision = design(&store, shop, owner, "Sedge").await;
    let made = NewRewind { state: RewindState::Designed, revision_id: Some(revision), ..NEW };
    own.change_rewind(owner, (id, 1), &made).await.unwrap();
    let late = own.change_rewind(owner, (id, 1), &NEW).await;
    assert!(matches!(late, Err(StoreError::Changed("rewind"))), "{late:?}");
    let row = own.rewind(id).await.unwrap();
    assert_eq!((row.state.0, row.revision_id, row.version), (RewindState::Designed, Some(revision), 2));
    assert_eq!(own.rewind_of_revision(revision).await.unwrap().unwrap().id, id);
    let of_revisions = own.rewinds_of_revisions(&[revision]).await.unwrap();
    assert_eq!(of_revisions.iter().map(|(of, row)| (*of, row.id)).collect::<Vec<_>>(), [(revision, id)]);
    let named = own.rewinds_of(&[id, id]).await.unwrap();
    assert_eq!(named.iter().map(|row| row.id).collect::<Vec<_>>(), [id]);
    let designs = own.designs_of(&[revision, revision]).await.unwrap();
    let row = own.revision(revision).await.unwrap();
    assert_eq!(designs.len(), 1);
    assert_eq!(
        (&designs[0].name, designs[0].turns, &designs[0].design),
        (&row.row.name, row.row.turns, &row.design)
    );
    // Another workshop neither sees nor changes it.
    assert!(matches!(theirs.rewind(id).await, Err(StoreError::Missing("rewind"))));
    assert!(theirs.change_rewind(stranger, (id, 2), &NEW).await.is_err());
    assert!(theirs.rewinds(false).await.unwrap().is_empty());
    assert!(theirs.rewind_of_revision(revision).await.unwrap().is_none());
    assert!(theirs.rewinds_of_revisions(&[revision]).await.unwrap().is_empty());
    assert!(theirs.designs_of(&[revision]).await.unwrap().is_empty());
    assert!(own.designs_of(&[]).await.unwrap().is_empty());
    own.archive_rewind(owner, id, true).await.unwrap();
    assert_eq!((own.rewinds(false).await.unwrap().len(), own.rewinds(true).await.unwrap().len()), (0, 1));
}

#[tokio::test]
async fn photos_are_of_something_of_their_workshop() {
    let (url, _) = fresh_database().await;
    let store = Store::connect(&url).await.unwrap();
    let (shop, owner) = workshop(&store, "kestrel").await;
    let (other, stranger) = workshop(&store, "heron").await;
    let (own, theirs) = (store.workshop(shop), store.workshop(other));
    let id = own.add_rewind(owner, &ClientKey::random(), &NEW).await.unwrap();
    let photo = |subject, subject_id| NewPhoto {
        key: ClientKey::random(),
        subject,
        subject_id,
        caption: "leads".into(),
        size: (4, 3),
        picture: vec![1, 2, 3],
        thumbnail: vec![4],
    };
    let new = photo(PhotoSubject::Rewind, id.0);
    let added = own.add_photo(owner, &new).await.unwrap();
    assert_eq!(own.add_photo(owner, &new).await.unwrap(), added, "the same submission");
    assert_eq!(own.photos(PhotoSubject::Rewind, id.0).await.unwrap().len(), 1);
    assert_eq!(own.picture(added, false).await.unwrap(), [1, 2, 3]);
    assert_eq!(own.picture(added, true).await.unwrap(), [4]);
    // Nothing of another workshop, and nothing of what is not there.
    assert!(theirs.add_photo(stranger, &photo(PhotoSubject::Rewind, id.0)).await.is_err());
    assert!(
        theirs.picture(added, false).await.is_err()
            && theirs.set_photo_removed(stranger, added, true).await.is_err()
    );
    for (subject, of) in [(PhotoSubject::Run, 77), (PhotoSubject::Spool, 77), (PhotoSubject::Rewind, 77)] {
        assert!(matches!(own.add_photo(owner, &photo(subject, of)).await, Err(StoreError::Missing(_))));
    }
    own.set_photo_removed(owner, added, true).await.unwrap();
    assert!(own.photo(added).await.unwrap().removed_at.is_some());
    assert_eq!(store.empty_photo_bins().await.unwrap(), 0, "it can still be put back");
    own.set_photo_removed(owner, added, false).await.unwrap();
    assert!(own.photo(added).await.unwrap().removed_at.is_none());
    own.set_photo_removed(owner, added, true).await.unwrap();
    let pool = sqlx::MySqlPool::connect(&url).await.unwrap();
    let aged = "UPDATE photos SET removed_at = removed_at - INTERVAL 31 DAY";
    sqlx::query(aged).execute(&pool).await.unwrap();
    assert_eq!(store.empty_photo_bins().await.unwrap(), 1);
    assert!(matches!(own.photo(added).await, Err(StoreError::Missing("photo"))));
    let lines = own.audit_trail(&AuditFilter::default(), None, 9).await.unwrap();
    assert_eq!(lines.iter().filter(|line| line.action.0 == AuditAction::Photo).count(), 4);
    assert!(own.rewind(RewindId(99)).await.is_err() && own.photo(PhotoId(99)).await.is_err());
}

/// Explained pickups are offered for comparison, the one changed last first; one that is archived, or not explained, is not.
#[tokio::test]
async fn what_is_explained_can_be_compared_with() {
    let store = fresh_store().await;
    let (shop, owner) = workshop(&store, "kestrel").await;
    let own = store.workshop(shop);
    let new = |name, state| NewRewind {
        name,
        purpose: Purpose::Model,
        tags: "",
        document: "{}",
        conclusion: "",
        state,
        revision_id: None,
    };
    let mut ids = Vec::new();
    for (name, state) in [
        ("open", RewindState::Open),
        ("first", RewindState::Explained),
        ("left", RewindState::Left),
        ("second", RewindState::Designed),
    ] {
        ids.push(own.add_rewind(owner, &ClientKey::random(), &new(name, state)).await.unwrap());
    }
    let names =
        async || own.explained_rewinds().await.unwrap().into_iter().map(|(_, name)| name).collect::<Vec<_>>();
    assert_eq!(names().await, ["second", "first"]);
    own.change_rewind(owner, (ids[1], 1), &new("first again", RewindState::Explained)).await.unwrap();
    assert_eq!(names().await, ["first again", "second"]);
    own.archive_rewind(owner, ids[3], true).await.unwrap();
    assert_eq!(names().await, ["first again"]);
    let (other, _) = workshop(&store, "heron").await;
    assert!(store.workshop(other).explained_rewinds().await.unwrap().is_empty());
}
