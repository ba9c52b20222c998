//! Every use case that takes an actor asks at its first statement whether they may.

use syn::{Expr, ImplItem, ImplItemFn, Item, Stmt, Visibility};

/// The public methods in a file that take an `actor: &Actor` and do not begin by asking for a permission.
///
/// # Errors
/// When the text is not Rust.
pub fn unasked(text: &str) -> Result<Vec<String>, syn::Error> {
    let file = syn::parse_file(text)?;
    let blocks = file.items.iter().filter_map(|item| match item {
        // Of a value that the use cases hand out, or of the actor itself, there is nothing to ask.
        Item::Impl(block) if is_workshop(&block.self_ty) => Some(block),
        _ => None,
    });
    let methods = blocks.flat_map(|block| &block.items).filter_map(|item| match item {
        ImplItem::Fn(method) if matches!(method.vis, Visibility::Public(_)) => Some(method),
        _ => None,
    });
    Ok(methods.filter(|m| takes_actor(m) && !asks_first(m)).map(|m| m.sig.ident.to_string()).collect())
}

fn is_workshop(of: &syn::Type) -> bool {
    matches!(of, syn::Type::Path(path) if path.path.is_ident("Workshop"))
}

fn takes_actor(method: &ImplItemFn) -> bool {
    method.sig.inputs.iter().any(|input| match input {
        syn::FnArg::Typed(typed) => {
            matches!(&*typed.pat, syn::Pat::Ident(name) if name.ident == "actor")
        }
        syn::FnArg::Receiver(_) => false,
    })
}

/// Whether the first statement is `actor.require(…)?;`.
fn asks_first(method: &ImplItemFn) -> bool {
    let Some(Stmt::Expr(Expr::Try(asked), _)) = method.block.stmts.first() else { return false };
    matches!(&*asked.expr, Expr::MethodCall(call) if call.method == "require"
        && matches!(&*call.receiver, Expr::Path(path) if path.path.is_ident("actor")))
}

#[cfg(test)]
mod tests {
    use super::unasked;

    #[test]
    fn a_use_case_that_does_not_ask_is_found() {
        let text = "impl Workshop {
            pub async fn good(&self, actor: &Actor) -> R { actor.require(Action::Wind)?; Ok(()) }
            pub async fn late(&self, actor: &Actor) -> R { self.write(actor); actor.require(Action::Wind)?; Ok(()) }
            pub fn never(&self, actor: &Actor) -> R { Ok(()) }
            pub(crate) fn inside(&self, actor: &Actor) -> R { Ok(()) }
            pub fn of_nobody(&self) -> R { Ok(()) }
        } impl Other { pub fn not_ours(&self, actor: &Actor) {} }";
        assert_eq!(unasked(text).unwrap(), ["late", "never"]);
    }
}
