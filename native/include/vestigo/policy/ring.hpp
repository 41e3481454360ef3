// vestigo/policy/ring.hpp: a ring of entries or notes, newest to oldest, threaded through them.
//
// The ring's hub is a node of its own that stands for no key, and a node in no ring is a ring of one, so that no
// operation has a special case.
#pragma once

#include "../numbers.hpp"

namespace vestigo::policy {

template <class Node>
struct Ring {
  Node* nodes;
  Id hub;

  Ring(Node* first, Id hub_id) : nodes(first), hub(hub_id) { nodes[hub].before = nodes[hub].after = hub; }

  bool empty() const { return nodes[hub].after == hub; }
  Id newest() const { return nodes[hub].after; }
  Id oldest() const { return nodes[hub].before; }
  Id newer(Id id) const { return nodes[id].before; }
  bool has(Id id) const { return nodes[id].after != id; }  // of a node that no other ring could have

  void push(Id id) const {
    Node *const all = nodes, &end = all[hub], &node = all[id];
    const Id second = end.after;
    node.before = hub;
    node.after = second;
    all[second].before = id;
    end.after = id;
  }

  void take(Id id) const {
    Node *const all = nodes, &node = all[id];
    const Id before = node.before, after = node.after;
    all[before].after = after;
    all[after].before = before;
    node.before = node.after = id;
  }

  // The same for the oldest one.
  Id take_oldest() const {
    Node *const all = nodes, &end = all[hub];
    const Id id = end.before, before = all[id].before;
    all[before].after = hub;
    end.before = before;
    all[id].before = all[id].after = id;
    return id;
  }

  // Makes it the newest.
  void renew(Id id) const {
    take(id);
    push(id);
  }
};

}  // namespace vestigo::policy
