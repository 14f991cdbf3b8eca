//! A connection as long as it is held.

use diesel_async::AsyncPgConnection;
use diesel_async::pooled_connection::PoolableConnection;
use diesel_async::pooled_connection::deadpool::Object;
use std::ops::{Deref, DerefMut};

/// A connection of the pool. What is given up in the middle of a transaction, because its client has gone away, does not go back
/// with that open: the rows it has locked would keep everybody waiting until it is handed out again.
pub(super) struct Held(Option<Object<AsyncPgConnection>>);

impl Held {
    pub(super) fn new(object: Object<AsyncPgConnection>) -> Self {
        Held(Some(object))
    }
}

impl Deref for Held {
    type Target = AsyncPgConnection;

    fn deref(&self) -> &AsyncPgConnection {
        let Some(object) = &self.0 else { unreachable!("it is held until it is dropped") };
        object
    }
}

impl DerefMut for Held {
    fn deref_mut(&mut self) -> &mut AsyncPgConnection {
        let Some(object) = &mut self.0 else { unreachable!("it is held until it is dropped") };
        object
    }
}

impl Drop for Held {
    fn drop(&mut self) {
        if let Some(mut object) = self.0.take()
            && object.is_broken()
        {
            // Closed, it is rolled back at once.
            drop(Object::take(object));
        }
    }
}
