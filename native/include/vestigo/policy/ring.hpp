// vestigo/policy/ring.hpp: a ring of entries or notes, newest to oldest. The links are in the
// entries or notes themselves.
//
// The sentinel of the ring is a node that stands for no key, and a node in no ring is a ring of
// one. So no operation has a special case.
#pragma once

#include "../numbers.hpp"

namespace vestigo::policy {

template <class Node>
struct Ring {
  Node* nodes;
  Id sentinel;

  Ring(Node* first, Id hub_id) : nodes(first), sentinel(hub_id) {
    nodes[sentinel].before = nodes[sentinel].after = sentinel;
  }

  bool empty() const { return nodes[sentinel].after == sentinel; }
  Id newest() const { return nodes[sentinel].after; }
  Id oldest() const { return nodes[sentinel].before; }
  Id newer(Id id) const { return nodes[id].before; }
  Id older(Id id) const { return nodes[id].after; }
  bool has(Id id) const {
    return nodes[id].after != id;
  }  // for a node that cannot be in another ring

  void push(Id id) const {
    Node *const all = nodes, &end = all[sentinel], &node = all[id];
    const Id second = end.after;
    node.before = sentinel;
    node.after = second;
    all[second].before = id;
    end.after = id;
  }

  // Puts a node beside another, as the newer one. Newer than the sentinel is the oldest.
  void push_newer(Id id, Id than) const {
    Node *const all = nodes, &node = all[id], &other = all[than];
    node.before = other.before;
    node.after = than;
    all[other.before].after = id;
    other.before = id;
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
    Node *const all = nodes, &end = all[sentinel];
    const Id id = end.before, before = all[id].before;
    all[before].after = sentinel;
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
